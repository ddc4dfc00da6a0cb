<script setup lang="ts">
import type { InventoryValue } from '@vekkon/core';
import { computed } from 'vue';
import { numberInWords } from '../words.js';
import ValueView from './ValueView.vue';

/** What an inventory holds: stacks by how many, pieces by their ids and traits. */
const { value } = defineProps<{ value: InventoryValue }>();

const stacks = computed(() => Object.entries(value.stacks));
const pieces = computed(() => Object.entries(value.pieces));
</script>

<template>
  <p v-if="stacks.length + pieces.length === 0" class="muted">nothing in it</p>
  <ul v-if="stacks.length > 0" class="stacks">
    <li v-for="[item, count] in stacks" :key="item">
      <b class="numerals">{{ numberInWords(count) }}</b> {{ item }}
    </li>
  </ul>
  <div v-for="[id, piece] in pieces" :key="id" class="piece">
    <h4>
      {{ piece.item }} <span class="muted">{{ id }}</span>
    </h4>
    <ValueView :value="piece.traits" />
  </div>
</template>

<style scoped>
p {
  margin: 0;
}

.stacks {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 0.5rem;
  margin: 0 0 0.4rem;
  padding: 0;
  list-style: none;
}

.stacks li {
  padding: 0 0.6rem;
  border: 1px solid var(--line);
  border-radius: 3px;
}

.piece {
  margin-top: 0.5rem;
  padding-left: 0.7rem;
  border-left: 3px solid var(--line);
}

h4 {
  margin: 0 0 0.15rem;
  font-size: 1rem;
}

h4 .muted {
  font-weight: 400;
}
</style>
