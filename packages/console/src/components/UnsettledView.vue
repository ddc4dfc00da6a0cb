<script setup lang="ts">
import type { UnsettledTransaction } from '@vekkon/protocol';
import type { Json } from '@vekkon/core';
import Button from 'primevue/button';
import { ref } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, timeInWords, valueInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';

/** Transactions that wait for a person: of one player, or of all. */
const { player = undefined } = defineProps<{ player?: string | undefined }>();

const { calls } = useSignedIn();
const unsettled = ref<readonly UnsettledTransaction[]>();
const total = ref(0);
const problem = ref<unknown>();
/** What is asked about before it is done. */
const asked = ref<{ readonly id: string; readonly what: 'settle' | 'drop' }>();

async function load(): Promise<void> {
  try {
    const list = await calls.value.unsettled(player);
    unsettled.value = list.unsettled;
    total.value = list.total;
  } catch (error) {
    problem.value = error;
  }
}

async function deal(): Promise<void> {
  if (asked.value === undefined) return;
  const { id, what } = asked.value;
  asked.value = undefined;
  problem.value = undefined;
  try {
    await (what === 'settle' ? calls.value.settle(id) : calls.value.drop(id));
  } catch (error) {
    problem.value = error;
  }
  await load();
}

/** "credit currency/feather: amount 30, reason gorge". */
function inWords({ op, ...rest }: UnsettledTransaction['transaction']['changes'][number]): string {
  const { key, ...told } = { key: '', ...rest };
  const facts = Object.entries(told)
    .filter(([, value]) => value !== '')
    .map(([name, value]) => `${name} ${valueInWords(value as Json)}`);
  return [`${op} ${key}`.trim(), facts.join(', ')].filter((one) => one !== '').join(': ');
}

refreshing(load);
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <div v-if="unsettled?.length === 0" class="sheet none">
    <h2>Nothing is unsettled</h2>
    <p>
      What comes too late, or is refused after the game was told that it would hold, is kept here until somebody settles
      or drops it.
    </p>
  </div>
  <ul v-else-if="unsettled" class="sheets">
    <li v-for="one in unsettled" :key="one.id" class="sheet" :data-unsettled="one.id">
      <div class="facts">
        <h3>{{ one.transaction.label ?? 'Without a label' }}</h3>
        <RouterLink v-if="player === undefined" :to="{ name: 'player', params: { id: one.player } }">{{
          one.player
        }}</RouterLink>
        <span class="muted">{{ timeInWords(one.at) }} · save {{ one.number }} of {{ hostInWords(one.host) }}</span>
      </div>
      <p v-for="(change, index) in one.transaction.changes" :key="index" class="change">{{ inWords(change) }}</p>
      <p class="reason">
        <span class="code">{{ one.reason }}</span> {{ one.detail }}
      </p>
      <div v-if="asked?.id === one.id" class="ask" role="alertdialog" aria-label="Are you sure?">
        <span>{{
          asked.what === 'settle'
            ? "Apply it to the player's records as they are now?"
            : 'Never apply it? What it held stays in the activity.'
        }}</span>
        <Button size="small" :label="asked.what === 'settle' ? 'Settle it' : 'Drop it'" autofocus @click="deal" />
        <Button size="small" label="Leave it" severity="secondary" text @click="asked = undefined" />
      </div>
      <div v-else class="ask">
        <Button size="small" label="Settle" outlined @click="asked = { id: one.id, what: 'settle' }" />
        <Button size="small" label="Drop" severity="secondary" text @click="asked = { id: one.id, what: 'drop' }" />
      </div>
    </li>
  </ul>
  <p v-if="unsettled && total > unsettled.length" class="muted">{{ unsettled.length }} of {{ total }} are shown.</p>
</template>

<style scoped>
li {
  border-left: 4px solid var(--route);
}

.change {
  margin: 0.35rem 0 0;
}

.reason {
  margin: 0.35rem 0 0.7rem;
  color: var(--p-text-muted-color);
}

.code {
  padding: 0 0.45rem;
  border-radius: 3px;
  background: var(--route-soft);
  color: var(--route);
}
</style>
