<script setup lang="ts">
import { shownResult } from '@vekkon/core';
import { short } from '@vekkon/core/tuning';
import type { Trial } from '@vekkon/protocol';
import Button from 'primevue/button';
import { ref } from 'vue';
import { refreshing } from '../../refreshing.js';
import { useSignedIn } from '../../signed-in.js';
import { numberInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';
import ReasonAsk from '../ReasonAsk.vue';

/** What the trials of the running edition have come to, value by value. */
const { mayPublish } = defineProps<{ mayPublish: boolean }>();
const emit = defineEmits<{ published: [] }>();
const { calls } = useSignedIn();
const trials = ref<readonly Trial[]>();
const problem = ref<unknown>();
const ending = ref<{ readonly trial: Trial; readonly value: number }>();

async function load(): Promise<void> {
  try {
    const list = await calls.value.tuning.trials();
    trials.value = await Promise.all(list.map(({ trial }) => calls.value.tuning.trial(trial)));
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

async function end(note: string): Promise<void> {
  if (ending.value === undefined) return;
  const { trial, value } = ending.value;
  try {
    const { revision } = await calls.value.tuning.draft();
    await calls.value.tuning.endTrial(trial.trial, { value, note, revision });
    emit('published');
  } catch (error) {
    problem.value = error;
  }
  ending.value = undefined;
  await load();
}

function shown(amount: number | null | undefined, { unit }: Trial): string {
  if (amount === null || amount === undefined) return '–';
  return shownResult(Math.round(amount * 1000) / 1000, unit ?? undefined);
}

/** The largest bin of all values of a trial, so that they can be compared. */
function most({ values }: Trial): number {
  return Math.max(1, ...values.flatMap(({ counts }) => counts));
}

/** Where an amount lies between the ends of what is shown, in percent. */
function place(amount: number, { values }: Trial): number {
  const ends = values.flatMap(({ interval }) => interval ?? []);
  const [least, greatest] = [Math.min(...ends), Math.max(...ends)];
  return greatest === least ? 50 : ((amount - least) / (greatest - least)) * 100;
}

function measureInWords({ measure, better }: Trial): string {
  const what = measure.path === undefined ? measure.key : `${measure.path} of ${measure.key}`;
  return `Measured by ${what}${better === null ? '' : `, ${better} is better`}`;
}

refreshing(load, { topics: ['tuning'] });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <div v-if="trials?.length === 0" class="sheet none">
    <h2>No trial runs</h2>
    <p>Give an adjustment several values in place of one: players are split by share, and compared here.</p>
  </div>
  <section v-for="trial in trials" :key="trial.trial" class="sheet trial" :aria-label="trial.note ?? trial.trial">
    <h2>{{ trial.note ?? trial.trial }}</h2>
    <p class="muted">{{ trial.tunable }} · {{ measureInWords(trial) }}</p>
    <p class="verdict" :class="trial.verdict">{{ trial.words }}</p>
    <table>
      <thead class="small-caps">
        <tr>
          <th scope="col">Value</th>
          <th scope="col">Share</th>
          <th scope="col">Players</th>
          <th scope="col">With a result</th>
          <th scope="col">Mean</th>
          <th scope="col">95 % interval</th>
          <td class="wide">
            {{ shown(Math.min(...trial.values.flatMap(({ interval }) => interval ?? [])), trial) }} to
            {{ shown(Math.max(...trial.values.flatMap(({ interval }) => interval ?? [])), trial) }}
          </td>
          <th scope="col">Spread, {{ shown(trial.bins[0], trial) }} to {{ shown(trial.bins.at(-1), trial) }}</th>
          <td></td>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(one, index) in trial.values" :key="index">
          <th scope="row">{{ short(one.value) }}</th>
          <td class="numerals">{{ one.share }} %</td>
          <td class="numerals">{{ numberInWords(one.players) }}</td>
          <td class="numerals">{{ numberInWords(one.measured) }}</td>
          <td class="numerals">{{ shown(one.mean, trial) }}</td>
          <td class="numerals">
            {{ one.interval ? `${shown(one.interval[0], trial)} – ${shown(one.interval[1], trial)}` : '–' }}
          </td>
          <td class="wide">
            <span v-if="one.interval && one.mean !== null" class="interval" aria-hidden="true">
              <span
                class="range"
                :style="{
                  left: `${place(one.interval[0] ?? 0, trial)}%`,
                  right: `${100 - place(one.interval[1] ?? 0, trial)}%`,
                }"
              />
              <span class="mean" :style="{ left: `${place(one.mean, trial)}%` }" />
            </span>
          </td>
          <td>
            <span class="spread" aria-hidden="true">
              <span
                v-for="(count, bin) in one.counts"
                :key="bin"
                :style="{ height: `${(count / most(trial)) * 100}%` }"
              />
            </span>
          </td>
          <td>
            <Button
              v-if="mayPublish"
              label="End with this"
              size="small"
              text
              @click="ending = { trial, value: index }"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <ReasonAsk
      v-if="ending?.trial === trial"
      :what="`${trial.tunable} is ${short(trial.values[ending.value]?.value ?? null)} for all from now on.`"
      label="End the trial"
      @done="end"
      @left="ending = undefined"
    />
  </section>
</template>

<style scoped>
.trial {
  padding: 1.2rem 1.5rem;
  margin-bottom: 1.1rem;
}

p {
  margin: 0.3rem 0;
}

.verdict {
  padding: 0.4rem 0.8rem;
  border-left: 3px solid var(--earth);
}

.verdict.clear-difference {
  border-left-color: var(--good);
  background: var(--good-soft);
}

table {
  width: 100%;
  margin-top: 0.8rem;
  border-collapse: collapse;
}

th,
td {
  padding: 0.3rem 1rem 0.3rem 0;
  font-weight: 400;
  text-align: left;
  white-space: nowrap;
}

tbody th {
  font-weight: 700;
}

.wide {
  width: 22%;
  min-width: 9rem;
}

.interval {
  position: relative;
  display: block;
  height: 1.1rem;
  border-bottom: 1px solid var(--line);
}

.range,
.mean {
  position: absolute;
  top: 0.3rem;
  height: 0.5rem;
  background: var(--p-primary-color);
  opacity: 0.45;
}

.mean {
  top: 0;
  width: 3px;
  height: 1.1rem;
  margin-left: -1px;
  opacity: 1;
}

.spread {
  display: flex;
  gap: 1px;
  align-items: end;
  height: 2.2rem;
}

.spread span {
  flex: 1;
  min-width: 7px;
  background: var(--p-primary-color);
}
</style>
