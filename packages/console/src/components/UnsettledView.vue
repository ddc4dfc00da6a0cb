<script setup lang="ts">
import type { DealtWith, UnsettledList, UnsettledSummary, UnsettledTransaction } from '@vekkon/protocol';
import type { Json } from '@vekkon/core';
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, timeInWords, valueInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';

/** Transactions that wait for a person: of one player, or of all. */
const { player = undefined } = defineProps<{ player?: string | undefined }>();

const { calls } = useSignedIn();
const list = ref<UnsettledList>();
const summary = ref<UnsettledSummary>();
/** How many are shown; it grows as somebody asks for more. */
const shown = ref(fewest());
const reason = ref<string | null>(null);

/** Beside what else happened the newest are enough, until somebody asks for more. */
function fewest(): number {
  return player === undefined ? 5 : 50;
}

const host = ref<string | null>(null);
const problem = ref<unknown>();
/** What is asked about before it is done. */
const asked = ref<{ readonly id: string; readonly what: 'settle' | 'drop' }>();
/** The same for all that are meant, with what a dry run found. */
const askedOfAll = ref<{ readonly what: 'settle' | 'drop'; readonly meant: DealtWith }>();
const dealt = ref<string>();

const which = computed(() => ({
  ...(player !== undefined && { player }),
  ...(reason.value !== null && { reason: reason.value }),
  ...(host.value !== null && { host: host.value }),
}));
const all = computed(() => (Object.keys(which.value).length === 0 ? { all: true as const } : which.value));
const reasons = computed(() => [...new Set(summary.value?.sums.map((sum) => sum.reason))]);
const hosts = computed(() => [...new Set(summary.value?.sums.flatMap((sum) => sum.host ?? []))]);

async function load(): Promise<void> {
  try {
    list.value = await calls.value.unsettled({ ...which.value, count: shown.value });
    if (player === undefined) summary.value = await calls.value.unsettledSummary();
  } catch (error) {
    problem.value = error;
  }
}

async function more(): Promise<void> {
  shown.value = Math.min(shown.value + 50, 500);
  await load();
}

watch(which, () => {
  shown.value = fewest();
  askedOfAll.value = undefined;
  void load();
});

async function askOfAll(what: 'settle' | 'drop'): Promise<void> {
  dealt.value = undefined;
  try {
    askedOfAll.value = { what, meant: await calls.value.dealWithUnsettled(what, { ...all.value, dryRun: true }) };
  } catch (error) {
    problem.value = error;
  }
}

async function dealWithAll(): Promise<void> {
  if (askedOfAll.value === undefined) return;
  const { what } = askedOfAll.value;
  askedOfAll.value = undefined;
  try {
    const { done, refused } = await calls.value.dealWithUnsettled(what, all.value);
    const stay = refused.length === 0 ? '' : ` ${refused.length} stay: ${refused[0]?.detail}`;
    dealt.value = `${done} ${what === 'settle' ? 'settled' : 'dropped'}.${stay}`;
  } catch (error) {
    problem.value = error;
  }
  await load();
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

refreshing(load, player === undefined ? {} : { topics: [], player });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <div v-if="player === undefined && summary !== undefined && summary.total > 0" class="which">
    <Select v-model="reason" :options="reasons" show-clear placeholder="Any reason" aria-label="Reason" size="small" />
    <Select v-model="host" :options="hosts" show-clear placeholder="Any host" aria-label="Host" size="small" />
    <span class="muted"
      >{{ summary.transactions }} transactions wait, {{ summary.total }} of them unlike; most with
      <template v-for="(one, index) in summary.players.slice(0, 3)" :key="one.player"
        >{{ index === 0 ? '' : ', '
        }}<RouterLink :to="{ name: 'player', params: { id: one.player } }">{{ one.player }}</RouterLink> ({{
          one.transactions
        }})</template
      ></span
    >
  </div>
  <div v-if="list !== undefined && list.total > 1" class="ask all">
    <template v-if="askedOfAll === undefined">
      <Button size="small" label="Settle all of these" severity="secondary" text @click="askOfAll('settle')" />
      <Button size="small" label="Drop all of these" severity="secondary" text @click="askOfAll('drop')" />
    </template>
    <span v-else role="alertdialog" aria-label="Are you sure?" class="ask">
      <span
        >{{ askedOfAll.meant.isCapped ? 'More than ' : '' }}{{ askedOfAll.meant.found }} unlike ones, which hold
        {{ askedOfAll.meant.transactions }} transactions,
        {{
          askedOfAll.what === 'settle'
            ? "will be applied to the players' records as they are now; what is refused stays."
            : 'will never be applied. What they held stays in the activity.'
        }}</span
      >
      <Button size="small" :label="askedOfAll.what === 'settle' ? 'Settle all' : 'Drop all'" @click="dealWithAll" />
      <Button size="small" label="Leave them" severity="secondary" text @click="askedOfAll = undefined" />
    </span>
  </div>
  <p v-if="dealt" role="status" class="muted">{{ dealt }}</p>
  <div v-if="list?.total === 0" class="sheet none">
    <h2>Nothing is unsettled</h2>
    <p>
      What comes too late, or is refused after the game was told that it would hold, is kept here until somebody settles
      or drops it.
    </p>
  </div>
  <ul v-else-if="list" class="sheets">
    <li v-for="one in list.unsettled" :key="one.id" class="sheet" :data-unsettled="one.id">
      <div class="facts">
        <h3>{{ one.transaction.label ?? 'Without a label' }}</h3>
        <span v-if="one.count > 1" class="code">{{ one.count }} alike</span>
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
  <p v-if="list && list.next !== null" class="muted">
    {{ list.unsettled.length }} of {{ list.isCapped ? 'more than ' : '' }}{{ list.total }} are shown.
    <Button v-if="list.unsettled.length < 500" size="small" label="Show more" text @click="more" />
  </p>
</template>

<style scoped>
.which {
  display: flex;
  flex-wrap: wrap;
  gap: 0.7rem;
  align-items: center;
  margin-bottom: 0.7rem;
}

.all {
  margin-bottom: 0.5rem;
}

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
