<script setup lang="ts">
import type { LedgerLine } from '@vekkon/protocol';
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, ref } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, numberInWords, timeInWords } from '../words.js';
import LineChart from './LineChart.vue';
import ProblemNotice from './ProblemNotice.vue';

/** Every movement of a player's currencies, the newest first. */
const { player } = defineProps<{ player: string }>();

const { calls } = useSignedIn();
const lines = ref<readonly LedgerLine[]>();
const next = ref<number | null>(null);
const problem = ref<unknown>();
const chosen = ref<string | null>(null);
const currencies = computed(() => [...new Set(lines.value?.map(({ key }) => key))].sort());
const drawn = computed(() => chosen.value ?? currencies.value[0]);
/** Its movements that are shown, the oldest first. */
const movements = computed(() => (lines.value ?? []).filter(({ key }) => key === drawn.value).toReversed());
const balances = computed(() => [
  { label: drawn.value ?? '', values: movements.value.map(({ balance }) => balance), colour: '--p-primary-color' },
]);
let isPagedOn = false;

async function load(): Promise<void> {
  // Whoever reads on is not thrown back to the top.
  if (isPagedOn) return;
  try {
    const page = await calls.value.ledger(player);
    lines.value = page.lines;
    next.value = page.next;
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

async function more(): Promise<void> {
  if (next.value === null) return;
  isPagedOn = true;
  const page = await calls.value.ledger(player, { before: next.value });
  lines.value = [...(lines.value ?? []), ...page.lines];
  next.value = page.next;
}

refreshing(load, { topics: [], player: player });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <section v-if="movements.length > 1" class="sheet chart" aria-label="Balance over time">
    <Select
      v-if="currencies.length > 1"
      :model-value="drawn"
      :options="currencies"
      size="small"
      aria-label="Currency that is drawn"
      @update:model-value="chosen = $event"
    />
    <LineChart
      title="Balance, as far back as is listed below"
      :unit="drawn?.slice('currency/'.length) ?? ''"
      :times="movements.map(({ at }) => timeInWords(at))"
      :lines="balances"
    />
  </section>
  <div v-if="lines?.length === 0" class="sheet none">Nothing has moved yet.</div>
  <table v-else-if="lines" class="sheet">
    <thead>
      <tr>
        <th scope="col">When</th>
        <th scope="col">Currency</th>
        <th scope="col" class="number">Moved</th>
        <th scope="col" class="number">Balance</th>
        <th scope="col">Reason</th>
        <th scope="col">By</th>
        <th scope="col">Label</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in lines" :key="one.number">
        <td class="numerals">{{ timeInWords(one.at) }}</td>
        <td>{{ one.key.slice('currency/'.length) }}</td>
        <td class="number numerals" :class="{ more: one.amount > 0, less: one.amount < 0 }">
          {{ one.amount > 0 ? '+' : '' }}{{ numberInWords(one.amount) }}
        </td>
        <td class="number numerals">{{ numberInWords(one.balance) }}</td>
        <td>
          {{ one.reason }}<span v-if="one.count > 1" class="muted"> · {{ one.count }} times</span>
        </td>
        <td>{{ hostInWords(one.by ?? '–') }}</td>
        <td class="muted">{{ one.label ?? '–' }}</td>
      </tr>
    </tbody>
  </table>
  <Button
    v-if="next !== null"
    class="earlier"
    label="Earlier"
    size="small"
    severity="secondary"
    outlined
    @click="more"
  />
</template>

<style scoped>
.chart {
  margin-bottom: 1rem;
  padding: 1rem 1.4rem;
}

.none {
  padding: 1.2rem 1.6rem;
}

table {
  width: 100%;
  border-collapse: separate;
  border-spacing: 0;
}

th,
td {
  padding: 0.4rem 0.9rem;
  text-align: left;
  border-bottom: 1px solid var(--line);
}

th {
  font-size: 0.86rem;
  font-weight: 500;
  color: var(--p-text-muted-color);
}

tr:last-child > td {
  border-bottom: 0;
}

.number {
  text-align: right;
}

.more {
  color: var(--good);
}

.less {
  color: var(--route);
}

.earlier {
  margin-top: 0.8rem;
}
</style>
