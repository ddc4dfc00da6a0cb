<script setup lang="ts">
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';

/** Asks why before something is done: the activity keeps it. */
const { what, label } = defineProps<{ what: string; label: string }>();
const emit = defineEmits<{ done: [reason: string]; left: [] }>();
const reason = ref('');
</script>

<template>
  <form
    class="ask"
    role="alertdialog"
    :aria-label="what"
    @submit.prevent="reason.trim() !== '' && emit('done', reason.trim())"
  >
    <span>{{ what }}</span>
    <InputText v-model="reason" size="small" placeholder="Why?" aria-label="Why?" autofocus />
    <Button type="submit" size="small" :label="label" :disabled="reason.trim() === ''" />
    <Button size="small" label="Leave it" severity="secondary" text @click="emit('left')" />
  </form>
</template>

<style scoped>
.ask {
  display: flex;
  gap: 0.7rem;
  align-items: center;
  flex-wrap: wrap;
}

.ask input {
  flex: 1 1 14rem;
}
</style>
