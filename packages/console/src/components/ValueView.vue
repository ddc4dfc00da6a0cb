<script setup lang="ts">
import type { Json } from '@vekkon/core';
import { computed } from 'vue';
import { valueInWords } from '../words.js';

/** A JSON value as a person reads it: members under their names, lists as a row of words. */
const { value } = defineProps<{ value: Json | undefined }>();

const members = computed(() =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
    ? Object.entries(value as { readonly [name: string]: Json })
    : undefined,
);
const list = computed(() => (Array.isArray(value) ? (value as readonly Json[]) : undefined));
</script>

<template>
  <dl v-if="members && members.length > 0">
    <template v-for="[name, member] in members" :key="name">
      <dt>{{ name }}</dt>
      <dd><ValueView :value="member" /></dd>
    </template>
  </dl>
  <span v-else-if="members" class="muted">nothing in it</span>
  <span v-else-if="list && list.length === 0" class="muted">none yet</span>
  <ul v-else-if="list">
    <li v-for="(one, index) in list" :key="index"><ValueView :value="one" /></li>
  </ul>
  <span v-else class="numerals">{{ valueInWords(value) }}</span>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0.15rem 1.1rem;
  margin: 0;
}

dt {
  color: var(--p-text-muted-color);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

ul {
  display: flex;
  flex-wrap: wrap;
  gap: 0.25rem 0.4rem;
  margin: 0;
  padding: 0;
  list-style: none;
}

li {
  padding: 0 0.5rem;
  border: 1px solid var(--line);
  border-radius: 3px;
  font-size: 0.95rem;
}
</style>
