<script setup lang="ts">
import type { InventoryValue, Json, JsonObject, Manifest } from '@vekkon/core';
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import Select from 'primevue/select';
import { computed, ref } from 'vue';
import { plain } from '../tuning/tuned.js';
import ValueEditor from '../values/ValueEditor.vue';

/** An inventory: how many of each stack, and its pieces with their traits. */
const { value, items } = defineProps<{ value: InventoryValue; items: Manifest['items'] }>();
const emit = defineEmits<{ change: [value: InventoryValue] }>();

const chosen = ref<string>();
const names = computed(() => Object.keys(items).sort());

function setCount(item: string, count: number): void {
  const held = item in value.stacks ? value.stacks : { ...value.stacks, [item]: count };
  const counts = Object.entries(held).map(([name, many]) => [name, name === item ? count : many] as const);
  emit('change', { ...plain(value), stacks: Object.fromEntries(counts.filter(([, many]) => many > 0)) });
}

function setTraits(piece: string, traits: Json): void {
  const held = value.pieces[piece];
  if (held === undefined) return;
  emit('change', {
    ...plain(value),
    pieces: { ...plain(value.pieces), [piece]: { ...held, traits: traits as JsonObject } },
  });
}

function takeOut(piece: string): void {
  const { [piece]: _, ...pieces } = plain(value.pieces);
  emit('change', { ...plain(value), pieces });
}

function add(): void {
  const item = chosen.value;
  const declaration = item === undefined ? undefined : items[item];
  if (item === undefined || declaration === undefined) return;
  if (!('unique' in declaration)) return setCount(item, (value.stacks[item] ?? 0) + 1);
  const id = `${item}-${crypto.randomUUID().slice(0, 8)}`;
  const traits = plain(declaration.starting) as JsonObject;
  emit('change', { ...plain(value), pieces: { ...plain(value.pieces), [id]: { item, traits } } });
}

function traitsOf(item: string): Json {
  const declaration = items[item];
  return declaration !== undefined && 'unique' in declaration ? (declaration.traits as Json) : true;
}
</script>

<template>
  <div class="inventory">
    <div v-for="(count, item) in value.stacks" :key="item" class="row">
      <span class="name">{{ item }}</span>
      <InputNumber
        :model-value="count"
        size="small"
        :min="0"
        show-buttons
        :use-grouping="false"
        :max-fraction-digits="0"
        locale="en-GB"
        :aria-label="`How many of ${item}`"
        @update:model-value="(now: number | null) => setCount(String(item), now ?? 0)"
      />
    </div>
    <div v-for="(piece, id) in value.pieces" :key="id" class="piece" :data-piece="id">
      <div class="row">
        <span class="name">{{ piece.item }}</span>
        <span class="muted">{{ id }}</span>
        <Button size="small" label="Take it out" text severity="secondary" @click="takeOut(String(id))" />
      </div>
      <ValueEditor
        :value="piece.traits"
        :schema="traitsOf(piece.item)"
        :label="`Traits of ${id}`"
        @change="(traits) => setTraits(String(id), traits)"
      />
    </div>
    <div class="row">
      <Select v-model="chosen" :options="names" size="small" placeholder="Which item?" aria-label="Which item?" />
      <Button size="small" label="Put one in" outlined :disabled="chosen === undefined" @click="add" />
    </div>
  </div>
</template>

<style scoped>
.inventory {
  display: grid;
  gap: 0.5rem;
}

.row {
  display: flex;
  gap: 0.9rem;
  align-items: center;
}

.name {
  min-width: 8rem;
  font-weight: 700;
}

.piece {
  display: grid;
  gap: 0.4rem;
  padding-left: 0.8rem;
  border-left: 2px solid var(--line);
}
</style>
