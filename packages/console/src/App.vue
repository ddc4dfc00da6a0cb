<script setup lang="ts">
import { useRoute } from 'vue-router';
import ContourLines from './components/ContourLines.vue';
import PageFrame from './components/PageFrame.vue';

const route = useRoute();
</script>

<template>
  <ContourLines />
  <RouterView v-if="route.meta['open'] === true" />
  <PageFrame v-else>
    <RouterView />
  </PageFrame>
</template>
