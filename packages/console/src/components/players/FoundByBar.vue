<script setup lang="ts">
import { findable, type Manifest } from '@vekkon/core';
import type { FoundByList } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { refreshing } from '../../refreshing.js';
import { useSignedIn } from '../../signed-in.js';
import type { Ordered } from './ordered.js';

/** By what players are ordered and narrowed down: their last join, their names, what they hold, their places. */
const ordered = defineModel<Ordered>({ required: true });
const { calls, operator } = useSignedIn();
const manifest = ref<Manifest>();
const foundBy = ref<FoundByList['foundBy']>([]);
const isAdding = ref(false);
const added = ref('');
const problem = ref('');

const plain = [
  { value: 'joined', label: 'Last joined' },
  { value: 'name', label: 'Name' },
  { value: 'id', label: 'Id' },
  { value: 'made', label: 'First seen' },
];
const boards = computed(() =>
  Object.entries(manifest.value?.records ?? {}).flatMap(([key, one]) =>
    one.kind === 'score' && one.public && one.family === undefined ? [key.slice('score/'.length)] : [],
  ),
);
const choices = computed(() => [
  ...plain,
  ...foundBy.value.map(({ of, isReady }) => ({
    value: `by ${of}`,
    label: isReady ? of : `${of}, being taken in`,
  })),
  ...boards.value.map((board) => ({ value: `on ${board}`, label: `Place on ${board}` })),
]);
/** How the two directions are called. */
const direction = computed((): readonly [ascending: string, descending: string] => {
  const { what } = ordered.value;
  if (what === 'joined' || what === 'made') return ['Longest ago first', 'Latest first'];
  return what === 'name' || what === 'id' ? ['A to Z', 'Z to A'] : ['Least first', 'Greatest first'];
});
const candidates = computed(() => {
  const known = new Set(foundBy.value.map(({ of }) => of));
  return manifest.value === undefined ? [] : findable(manifest.value).filter((one) => !known.has(one));
});
const mayAdd = computed(() => operator.value !== undefined && operator.value.role !== 'viewer');
const holds = computed(() =>
  ordered.value.what.startsWith('by ') ? ordered.value.what.slice('by '.length) : undefined,
);

async function load(): Promise<void> {
  [foundBy.value, manifest.value] = await Promise.all([
    calls.value.foundBy().then((told) => told.foundBy),
    manifest.value ?? calls.value.manifest().then((installed) => installed.manifest),
  ]);
}

async function set(of: readonly string[]): Promise<void> {
  problem.value = '';
  try {
    foundBy.value = (await calls.value.setFoundBy(of)).foundBy;
  } catch (error) {
    problem.value = error instanceof Error ? error.message : String(error);
  }
}

async function add(): Promise<void> {
  const of = added.value.trim();
  if (of === '') return;
  await set([...foundBy.value.map((one) => one.of), of]);
  if (problem.value !== '') return;
  isAdding.value = false;
  added.value = '';
  const last = foundBy.value.at(-1);
  if (last !== undefined) ordered.value = { ...ordered.value, what: `by ${last.of}` };
}

async function drop(): Promise<void> {
  const dropped = holds.value;
  ordered.value = { what: 'joined', from: '', to: '', isAscending: false };
  await set(foundBy.value.map(({ of }) => of).filter((of) => of !== dropped));
}

// What is taken in says in the activity when it is ready.
refreshing(() => load().catch(() => undefined));
watch(calls, () => void load().catch(() => undefined));
</script>

<template>
  <div class="bar">
    <label for="ordered-by">Ordered by</label>
    <Select
      v-model="ordered.what"
      label-id="ordered-by"
      aria-label="Ordered by"
      :options="choices"
      option-label="label"
      option-value="value"
      size="small"
      class="what"
    />
    <Button
      :icon="ordered.isAscending ? 'pi pi-sort-amount-up-alt' : 'pi pi-sort-amount-down'"
      :label="ordered.isAscending ? direction[0] : direction[1]"
      severity="secondary"
      text
      size="small"
      :disabled="ordered.what.startsWith('on ')"
      @click="ordered.isAscending = !ordered.isAscending"
    />
    <template v-if="holds">
      <InputText v-model="ordered.from" class="bound" size="small" placeholder="from" aria-label="At least" />
      <span class="muted">to</span>
      <InputText v-model="ordered.to" class="bound" size="small" placeholder="to" aria-label="At most" />
      <Button
        v-if="mayAdd"
        icon="pi pi-times"
        severity="secondary"
        text
        size="small"
        :aria-label="`Find players by ${holds} no more`"
        :title="`Find players by ${holds} no more`"
        @click="drop"
      />
    </template>
    <template v-if="ordered.what.startsWith('on ')">
      <span class="muted">at place</span>
      <InputText
        v-model="ordered.to"
        class="bound"
        size="small"
        placeholder="any"
        aria-label="At this place or above"
      />
      <span class="muted">or above</span>
    </template>
    <Button
      v-if="mayAdd && !isAdding"
      class="add"
      label="Find by something else…"
      severity="secondary"
      text
      size="small"
      @click="isAdding = true"
    />
    <form v-if="isAdding" class="add" @submit.prevent="add">
      <Select
        v-model="added"
        :options="candidates"
        editable
        filter
        size="small"
        class="candidates"
        placeholder="currency/feather"
        aria-label="What players are found by"
      />
      <Button type="submit" label="Add" size="small" />
      <Button label="Cancel" severity="secondary" text size="small" @click="isAdding = false" />
    </form>
  </div>
  <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  <p v-else-if="isAdding" class="muted said">
    A balance, a number in progress, or an attribute: what players hold there is taken in beside the game, and kept up
    to date by every save that changes it.
  </p>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  align-items: center;
  margin-bottom: 0.8rem;
}

.what {
  width: 16rem;
}

.bound {
  width: 6.5rem;
}

.add {
  display: flex;
  gap: 0.5rem;
  margin-left: auto;
}

.candidates {
  width: 18rem;
}

.said,
.problem {
  margin: -0.2rem 0 0.8rem;
}

.problem {
  color: var(--route);
}
</style>
