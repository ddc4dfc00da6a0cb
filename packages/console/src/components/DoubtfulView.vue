<script setup lang="ts">
import type { DoubtfulResult } from '@vekkon/protocol';
import Button from 'primevue/button';
import SelectButton from 'primevue/selectbutton';
import { ref, watch } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';
import ReasonAsk from './ReasonAsk.vue';

/** Results that count nowhere until a person has accepted them, on all boards. */
const { calls } = useSignedIn();
const states = [
  { label: 'Waiting', value: 'waiting' },
  { label: 'Accepted', value: 'accepted' },
  { label: 'Rejected', value: 'rejected' },
] as const;
const state = ref<DoubtfulResult['state']>('waiting');
const results = ref<readonly DoubtfulResult[]>();
const problem = ref<unknown>();
const asked = ref<{ readonly id: string; readonly what: 'accept' | 'reject' }>();

async function load(): Promise<void> {
  try {
    results.value = (await calls.value.boards.doubtful({ state: state.value, count: 100 })).doubtful;
  } catch (error) {
    problem.value = error;
  }
}

async function decide(reason: string): Promise<void> {
  if (asked.value === undefined) return;
  const { id, what } = asked.value;
  asked.value = undefined;
  try {
    await calls.value.boards[what](id, reason);
  } catch (error) {
    problem.value = error;
  }
  await load();
}

watch(state, load);
refreshing(load);
</script>

<template>
  <SelectButton
    v-model="state"
    class="state"
    :options="[...states]"
    option-label="label"
    option-value="value"
    :allow-empty="false"
    size="small"
    aria-label="Which"
  />
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <div v-if="results?.length === 0" class="sheet none">
    <h2>{{ state === 'waiting' ? 'No result is doubtful' : `None was ${state}` }}</h2>
    <p>What the manifest calls doubtful on a board waits here, and counts nowhere until somebody accepts it.</p>
  </div>
  <ul v-else-if="results" class="sheets">
    <li v-for="one in results" :key="one.id" class="sheet">
      <div class="facts">
        <h3>{{ one.shown }}</h3>
        <span>
          on {{ one.board }} by
          <RouterLink :to="{ name: 'player', params: { id: one.player } }">{{ one.name ?? one.player }}</RouterLink>
        </span>
        <span class="muted">{{ timeInWords(one.at) }}</span>
      </div>
      <p>
        {{ one.bestBefore === null ? 'They had no result before' : `Their best before was ${one.bestBefore}` }}.
        <span class="muted">
          <template v-if="one.host">Save {{ one.number }} on {{ hostInWords(one.host) }}, {{ one.session }}.</template>
          <template v-if="one.entry"> Typed at the finish: {{ one.entry }}.</template>
          <template v-if="one.note"> {{ one.note }}</template>
        </span>
      </p>
      <p v-if="one.decidedBy" class="muted">{{ one.state }} by {{ one.decidedBy }}: {{ one.reason }}</p>
      <ReasonAsk
        v-if="asked?.id === one.id"
        :what="
          asked.what === 'accept'
            ? 'It will count as of when it was made.'
            : 'It will count nowhere, and stays in the activity.'
        "
        :label="asked.what === 'accept' ? 'Accept it' : 'Reject it'"
        @done="decide"
        @left="asked = undefined"
      />
      <div v-else-if="one.state === 'waiting'" class="ask">
        <Button size="small" label="Accept" outlined @click="asked = { id: one.id, what: 'accept' }" />
        <Button size="small" label="Reject" severity="secondary" text @click="asked = { id: one.id, what: 'reject' }" />
      </div>
    </li>
  </ul>
</template>

<style scoped>
.state {
  margin-bottom: 0.8rem;
}

li p {
  margin: 0.2rem 0 0.4rem;
  overflow-wrap: anywhere;
}
</style>
