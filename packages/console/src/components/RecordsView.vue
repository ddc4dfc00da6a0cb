<script setup lang="ts">
import type { InventoryValue, Json, Manifest, StoredRecord } from '@vekkon/core';
import type { RecordsByKey } from '@vekkon/protocol';
import { computed } from 'vue';
import { numberInWords, resultInWords, timeInWords, valueInWords } from '../words.js';
import InventoryView from './InventoryView.vue';
import ValueView from './ValueView.vue';

/** A player's records, each kind in the form that suits it. */
const { records, manifest } = defineProps<{ records: RecordsByKey; manifest: Manifest | undefined }>();

interface Shown extends StoredRecord {
  readonly key: string;
  readonly name: string;
  readonly about: string | undefined;
  readonly unit: string | undefined;
  /** Which of a score's numbers counts on its board. */
  readonly counts: 'best' | 'newest' | 'sum';
}

function ofKind(kind: string): Shown[] {
  return Object.entries(records)
    .filter(([key]) => key.startsWith(`${kind}/`))
    .map(([key, record]) => {
      const declaration = manifest?.records[key.split('/', 2).join('/')];
      const isScore = declaration?.kind === 'score';
      const unit = isScore ? declaration.unit : undefined;
      const counts = isScore ? declaration.counts : 'best';
      const name = key.slice(kind.length + 1).replace('/', ' · ');
      return { ...record, key, name, about: declaration?.about, unit, counts };
    });
}

const currencies = computed(() => ofKind('currency'));
const progress = computed(() => ofKind('progress'));
const inventories = computed(() => ofKind('inventory'));
const scores = computed(() => ofKind('score'));
const preferences = computed(() => ofKind('preference'));

/** The number that counts; a sum of no results is none yet. */
function counted(record: Shown): Json | undefined {
  if (member(record, 'count') === 0) return null;
  return member(record, { best: 'best', newest: 'latest', sum: 'sum' }[record.counts]);
}

function member(record: Shown, name: string): Json | undefined {
  return (record.value as { readonly [name: string]: Json })[name];
}
</script>

<template>
  <section v-if="currencies.length > 0" class="balances" aria-label="Currencies">
    <div v-for="one in currencies" :key="one.key" class="sheet balance" :data-key="one.key" :title="one.about">
      <div class="small-caps">{{ one.name }}</div>
      <div class="amount numerals">{{ numberInWords(Number(one.value)) }}</div>
    </div>
  </section>
  <div class="columns">
    <section aria-label="Progress">
      <h2>Progress</h2>
      <article v-for="one in progress" :key="one.key" class="sheet record" :data-key="one.key">
        <h3>
          {{ one.name }} <span class="revision">revision {{ one.revision }}</span>
          <span v-if="one.misfit" class="misfit">misfit: shown is the starting value</span>
        </h3>
        <p v-if="one.about" class="about muted">{{ one.about }}</p>
        <ValueView :value="one.value" />
      </article>
    </section>
    <div>
      <section v-if="inventories.length > 0" aria-label="Inventories">
        <h2>Inventories</h2>
        <article v-for="one in inventories" :key="one.key" class="sheet record" :data-key="one.key">
          <h3>
            {{ one.name }} <span class="revision">revision {{ one.revision }}</span>
            <span v-if="one.misfit" class="misfit">misfit: shown is the starting value</span>
          </h3>
          <p v-if="one.about" class="about muted">{{ one.about }}</p>
          <InventoryView :value="one.value as InventoryValue" />
        </article>
      </section>
      <section v-if="scores.length > 0" aria-label="Scores">
        <h2>Scores</h2>
        <table class="sheet">
          <thead>
            <tr>
              <th scope="col">Board</th>
              <th scope="col">Counts</th>
              <th scope="col">Latest</th>
              <th scope="col">Results</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in scores" :key="one.key" :data-key="one.key">
              <th scope="row">{{ one.name }}</th>
              <td class="numerals" :title="timeInWords(member(one, 'bestAt') as string | null)">
                {{ resultInWords(counted(one), one.unit) }} <span class="muted">{{ one.counts }}</span>
              </td>
              <td class="numerals">{{ resultInWords(member(one, 'latest'), one.unit) }}</td>
              <td class="numerals">{{ valueInWords(member(one, 'count')) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section v-if="preferences.length > 0" aria-label="Preferences">
        <h2>Preferences</h2>
        <table class="sheet">
          <tbody>
            <tr v-for="one in preferences" :key="one.key" :data-key="one.key">
              <th scope="row">{{ one.name }}</th>
              <td><ValueView :value="one.value" /></td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>
  </div>
</template>

<style scoped>
.balances {
  display: flex;
  flex-wrap: wrap;
  gap: 0.8rem;
  margin-bottom: 1.3rem;
}

.balance {
  min-width: 10rem;
  padding: 0.7rem 1.1rem 0.6rem;
  border-left: 4px solid var(--earth);
}

.amount {
  font:
    600 1.9rem/1.1 'Alegreya Variable',
    Georgia,
    serif;
}

.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.05fr) minmax(0, 1fr);
  gap: 1.6rem;
  align-items: start;
}

section + section {
  margin-top: 1.5rem;
}

h2 {
  margin-bottom: 0.6rem;
}

.record {
  padding: 0.8rem 1.1rem 0.9rem;
  margin-bottom: 0.7rem;
}

.record h3 {
  margin-bottom: 0.35rem;
}

.revision {
  margin-left: 0.4rem;
  font:
    400 0.86rem 'Alegreya Sans',
    sans-serif;
  color: var(--p-text-muted-color);
}

.misfit {
  margin-left: 0.4rem;
  padding: 0 0.45rem;
  border-radius: 3px;
  font:
    500 0.88rem 'Alegreya Sans',
    sans-serif;
  color: var(--route);
  border: 1px solid var(--route);
}

.about {
  margin: -0.2rem 0 0.45rem;
  font-size: 0.96rem;
}

table {
  width: 100%;
  border-collapse: separate;
  border-spacing: 0;
}

th,
td {
  padding: 0.45rem 0.9rem;
  text-align: left;
  vertical-align: top;
  border-bottom: 1px solid var(--line);
}

tr:last-child > * {
  border-bottom: 0;
}

thead th {
  font-size: 0.86rem;
  font-weight: 500;
  color: var(--p-text-muted-color);
}

tbody th {
  font-weight: 700;
}
</style>
