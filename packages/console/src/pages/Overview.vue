<script setup lang="ts">
import type { Overview } from '@vekkon/protocol';
import Column from 'primevue/column';
import DataTable from 'primevue/datatable';
import Skeleton from 'primevue/skeleton';
import { computed, onUnmounted, ref } from 'vue';
import LineChart from '../components/LineChart.vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import { hearing, refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { agoInWords, bytesInWords, clockInWords, hostInWords, numberInWords, timeInWords } from '../words.js';

/** How the game goes, as it goes. */
const { calls } = useSignedIn();
const overview = ref<Overview>();
const problem = ref<unknown>();
const isTable = ref(false);

async function load(): Promise<void> {
  try {
    overview.value = await calls.value.overview();
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

refreshing(load, { topics: [] });
onUnmounted(
  hearing({
    topics: ['overview'],
    player: undefined,
    hear: (event, data) => {
      if (event === 'overview') overview.value = data as Overview;
      else void load();
    },
  }),
);

const minutes = computed(() => overview.value?.minutes ?? []);
const times = computed(() => minutes.value.map(({ at }) => clockInWords(at)));
const counts = computed(() => [
  { label: 'saves', values: minutes.value.map(({ saves, leaves }) => saves + leaves), colour: '--p-primary-color' },
  { label: 'joins', values: minutes.value.map(({ joins }) => joins), colour: '--earth' },
  { label: 'refused', values: minutes.value.map(({ refused }) => refused), colour: '--route' },
]);
const waits = computed(() => [
  {
    label: 'save, half of them',
    values: minutes.value.map(({ saveMedian }) => saveMedian),
    colour: '--p-primary-color',
  },
  { label: 'save, 99 of 100', values: minutes.value.map(({ saveP99 }) => saveP99), colour: '--route' },
  { label: 'join, 99 of 100', values: minutes.value.map(({ joinP99 }) => joinP99), colour: '--earth' },
]);
/** The newest minute that is over. */
const last = computed(() => minutes.value.at(-2));
const savesAMinute = computed(() => (last.value === undefined ? 0 : last.value.saves + last.value.leaves));
const refused = computed(() => minutes.value.reduce((sum, one) => sum + one.refused, 0));
const diskShare = computed(() => {
  const disk = overview.value?.disk;
  return disk === undefined || disk.size === 0 ? 0 : Math.round((1 - disk.free / disk.size) * 100);
});
const counted = ({ count, isCapped }: { readonly count: number; readonly isCapped: boolean }) =>
  `${isCapped ? 'more than ' : ''}${numberInWords(count)}`;
const milliseconds = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : `${numberInWords(value)} ms`;
</script>

<template>
  <h1>Overview</h1>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <template v-if="overview">
    <section v-if="overview.firstSteps" class="sheet steps" aria-label="First steps">
      <h2>First steps</h2>
      <ol>
        <li v-for="one in overview.firstSteps" :key="one.step" :class="{ done: one.done }">
          <i :class="one.done ? 'pi pi-check' : 'pi pi-circle'" aria-hidden="true" />
          {{ one.step }}<span class="hidden">: {{ one.done ? 'done' : 'not yet' }}</span>
        </li>
      </ol>
    </section>
    <section class="figures" aria-label="Now">
      <div class="sheet figure">
        <strong>{{ numberInWords(overview.inSession) }}</strong><span>in a session now</span>
        <span class="muted">{{ counted(overview.lastDay) }} within a day, of {{ counted(overview.players) }}</span>
      </div>
      <div class="sheet figure">
        <strong>{{ numberInWords(savesAMinute) }}</strong><span>saves in the last minute</span>
        <span class="muted"
          >half within {{ milliseconds(last?.saveMedian) }}, 99 of 100 within {{ milliseconds(last?.saveP99) }}</span
        >
      </div>
      <div class="sheet figure">
        <strong>{{ numberInWords(refused) }}</strong><span>refused within the hour</span>
        <span class="muted"
          >{{ numberInWords(overview.repeats) }} {{ overview.repeats === 1 ? 'save was' : 'saves were' }} sent
          again</span
        >
      </div>
      <div class="sheet figure">
        <strong>{{ numberInWords(overview.unsettled.transactions) }}</strong><RouterLink to="/activity"
          >unsettled</RouterLink
        >
        <span class="muted">{{ bytesInWords(overview.disk.bytes) }} of data; the disk is {{ diskShare }} % full</span>
      </div>
    </section>
    <section class="sheet charts" aria-label="The last hour">
      <LineChart title="A minute" unit="calls" :times="times" :lines="counts" />
      <LineChart title="How long it takes" unit="milliseconds" :times="times" :lines="waits" />
      <button class="link" type="button" :aria-expanded="isTable" @click="isTable = !isTable">
        {{ isTable ? 'Hide the table' : 'The same as a table' }}
      </button>
      <DataTable v-if="isTable" :value="[...minutes].reverse()" scrollable scroll-height="20rem" size="small">
        <Column header="Minute"
          ><template #body="{ data }">{{ clockInWords(data.at) }}</template></Column
        >
        <Column field="joins" header="Joins" />
        <Column field="saves" header="Saves" />
        <Column field="leaves" header="Leaves" />
        <Column field="refused" header="Refused" />
        <Column header="Save, half"
          ><template #body="{ data }">{{ milliseconds(data.saveMedian) }}</template></Column
        >
        <Column header="Save, 99 of 100"
          ><template #body="{ data }">{{ milliseconds(data.saveP99) }}</template></Column
        >
        <Column header="Join, 99 of 100"
          ><template #body="{ data }">{{ milliseconds(data.joinP99) }}</template></Column
        >
      </DataTable>
      <p class="muted">Counted since {{ timeInWords(overview.since) }}.</p>
    </section>
    <div class="columns">
      <section class="sheet list" aria-label="Hosts">
        <h2>Hosts</h2>
        <p v-if="overview.hosts.length === 0" class="muted">Nobody is joined anywhere.</p>
        <table v-else>
          <thead>
            <tr>
              <th scope="col">Host</th>
              <th scope="col" class="number">Sessions</th>
              <th scope="col">Last heard</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in overview.hosts.slice(0, 12)" :key="one.host">
              <td>{{ hostInWords(one.host) }}</td>
              <td class="number">{{ numberInWords(one.sessions) }}</td>
              <td>{{ one.heardAt === null ? 'not since the start' : agoInWords(one.heardAt) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section class="sheet list" aria-label="Refused">
        <h2>Refused, by cause</h2>
        <p v-if="overview.refusals.length === 0" class="muted">Nothing within the hour.</p>
        <table v-else>
          <tbody>
            <tr v-for="one in overview.refusals.slice(0, 8)" :key="one.code">
              <td>{{ one.code }}</td>
              <td class="number">{{ numberInWords(one.count) }}</td>
            </tr>
          </tbody>
        </table>
        <template v-if="overview.unsettled.reasons.length > 0">
          <h2>Unsettled, by reason</h2>
          <table>
            <tbody>
              <tr v-for="one in overview.unsettled.reasons.slice(0, 5)" :key="one.reason">
                <td>{{ one.reason }}</td>
                <td class="number">{{ numberInWords(one.count) }}</td>
              </tr>
            </tbody>
          </table>
        </template>
      </section>
      <section class="sheet list" aria-label="Due">
        <h2>Due next</h2>
        <table>
          <tbody>
            <tr v-for="one in overview.turns.slice(0, 6)" :key="one.board">
              <td>
                <RouterLink to="/boards">{{ one.board }}</RouterLink>, season {{ one.season }} turns
              </td>
              <td>{{ timeInWords(one.turnsAt) }}</td>
            </tr>
            <tr v-if="overview.nextWindow">
              <td><RouterLink to="/tuning">A window opens or closes</RouterLink></td>
              <td>{{ timeInWords(overview.nextWindow) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="overview.turns.length === 0 && !overview.nextWindow" class="muted">
          No season turns, no window opens.
        </p>
      </section>
    </div>
  </template>
  <Skeleton v-else-if="!problem" height="24rem" />
</template>

<style scoped>
.steps {
  margin: 1rem 0;
  padding: 1rem 1.4rem;
}

.steps ol {
  margin: 0.5rem 0 0;
  padding: 0;
  list-style: none;
}

.steps li {
  display: flex;
  gap: 0.6rem;
  align-items: center;
  padding: 0.15rem 0;
}

.steps .done {
  color: var(--good);
}

.hidden {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}

.figures {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 1rem;
  margin: 1rem 0;
}

.figure {
  display: flex;
  flex-direction: column;
  padding: 0.9rem 1.2rem;
}

.figure strong {
  font:
    700 2.1rem/1.1 'Alegreya Variable',
    Georgia,
    serif;
}

.charts {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0.6rem 2rem;
  padding: 1rem 1.4rem;
}

.charts > :nth-child(n + 3) {
  grid-column: 1 / -1;
}

.charts p {
  margin: 0;
}

.link {
  justify-self: start;
  padding: 0;
  border: 0;
  background: none;
  color: var(--p-primary-color);
  font: inherit;
  text-decoration: underline;
  cursor: pointer;
}

.columns {
  display: grid;
  grid-template-columns: 1fr 1fr 1.2fr;
  gap: 1rem;
  align-items: start;
  margin-top: 1rem;
}

.list {
  padding: 0.9rem 1.2rem;
}

.list h2 {
  margin: 0 0 0.4rem;
}

.list table + h2 {
  margin-top: 0.9rem;
}

table {
  width: 100%;
  border-collapse: collapse;
}

th,
td {
  padding: 0.2rem 0.5rem 0.2rem 0;
  text-align: left;
  overflow-wrap: anywhere;
}

th {
  color: var(--p-text-muted-color);
  font-weight: 500;
}

.number {
  padding-right: 1.4rem;
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
