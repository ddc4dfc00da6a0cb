<script setup lang="ts">
import { differenceInWords, valueDifferences, type Json } from '@vekkon/core';
import type { AsOfResponse, PlayerDetails, RevisionLine, RevisionOfRecord } from '@vekkon/protocol';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { refreshing } from '../../refreshing.js';
import { useSignedIn } from '../../signed-in.js';
import { hostInWords, timeInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';

/** What a player's records held before: each revision in words, two compared, and brought back. */
const { player } = defineProps<{ player: PlayerDetails }>();
const emit = defineEmits<{ changed: [] }>();

const { calls } = useSignedIn();
const all = 'all records';
const chosen = ref(all);
const keys = computed(() => [all, ...Object.keys(player.records).sort()]);
const lines = ref<readonly RevisionLine[]>();
const next = ref<number | null>(null);
const problem = ref<unknown>();
const said = ref('');

const keyAsked = computed(() => (chosen.value === all ? undefined : chosen.value));
/** Pages that were asked for beyond the first stay until another record is chosen. */
const isPaged = ref(false);

async function load(): Promise<void> {
  if (isPaged.value) return;
  try {
    const page = await calls.value.history.page(player.id, { key: keyAsked.value, count: 40 });
    [lines.value, next.value] = [page.revisions, page.next];
  } catch (error) {
    problem.value = error;
  }
}

async function more(): Promise<void> {
  isPaged.value = true;
  const page = await calls.value.history.page(player.id, {
    key: keyAsked.value,
    count: 40,
    before: next.value ?? undefined,
  });
  [lines.value, next.value] = [[...(lines.value ?? []), ...page.revisions], page.next];
}

watch(chosen, () => {
  isPaged.value = false;
  lines.value = undefined;
  compared.value = undefined;
  void load();
});

/** Two revisions of one record, or one and what is stored now. */
const compared = ref<{
  readonly key: string;
  readonly title: string;
  readonly words: readonly string[];
  readonly line: RevisionLine;
}>();
const first = ref<RevisionOfRecord>();
const isMarked = ({ key, revision }: RevisionLine) => first.value?.key === key && first.value.revision === revision;
const valueOf = ({ removed, value }: RevisionOfRecord): Json | undefined => (removed ? undefined : value);
const heldNow = (key: string) => player.records[key];

async function compareWithNow(line: RevisionLine): Promise<void> {
  await trying(async () => {
    const then = await calls.value.history.revision(player.id, line.key, line.revision);
    const now = heldNow(line.key);
    const words = valueDifferences(now?.value, valueOf(then)).map(differenceInWords);
    compared.value = { key: line.key, title: `From what is stored now to revision ${line.revision}`, words, line };
  });
}

async function mark(line: RevisionLine): Promise<void> {
  await trying(async () => {
    const one = await calls.value.history.revision(player.id, line.key, line.revision);
    if (first.value === undefined || first.value.key !== line.key || isMarked(line)) {
      first.value = isMarked(line) ? undefined : one;
      return;
    }
    const [older, newer] = [first.value, one].toSorted((a, b) => a.revision - b.revision) as [
      RevisionOfRecord,
      RevisionOfRecord,
    ];
    const words = valueDifferences(valueOf(older), valueOf(newer)).map(differenceInWords);
    compared.value = { key: line.key, title: `From revision ${older.revision} to ${newer.revision}`, words, line };
    first.value = undefined;
  });
}

const asked = ref<string>();
const idOf = ({ key, revision }: RevisionLine) => `${key} ${revision}`;

async function ask(line: RevisionLine): Promise<void> {
  asked.value = idOf(line);
  await compareWithNow(line);
}

async function restore({ key, revision }: RevisionLine): Promise<void> {
  asked.value = undefined;
  await trying(async () => {
    // What was removed is read no more: its revision goes on from the newest.
    const ifRevision = heldNow(key)?.revision ?? lines.value?.find((one) => one.key === key)?.revision ?? 0;
    const done = await calls.value.history.restore(player.id, { key, revision, ifRevision });
    said.value = `${done.key} holds again what it held at revision ${revision}: that is revision ${done.revision} now.`;
    compared.value = undefined;
    isPaged.value = false;
    emit('changed');
    await load();
  });
}

const moment = ref('');
const then = ref<AsOfResponse>();
const only = ref<string[]>([]);

async function lookBack(): Promise<void> {
  await trying(async () => {
    then.value = await calls.value.history.asOf(player.id, new Date(moment.value).toISOString());
    only.value = then.value.differences.map(({ key }) => key);
  });
}

async function restoreMoment(): Promise<void> {
  const back = then.value;
  if (back === undefined) return;
  await trying(async () => {
    const { at, seen: ifSeen } = back;
    const { restored } = await calls.value.history.restoreAsOf(player.id, { at, ifSeen, keys: only.value });
    said.value = `Restored as it was ${timeInWords(at)}: ${restored.join(', ')}.`;
    then.value = undefined;
    isPaged.value = false;
    emit('changed');
    await load();
  });
}

async function trying(work: () => Promise<void>): Promise<void> {
  problem.value = undefined;
  said.value = '';
  try {
    await work();
  } catch (error) {
    problem.value = error;
  }
}

refreshing(load, { topics: [], player: player.id });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <p v-if="said" class="said" role="status">{{ said }}</p>
  <form class="moment" @submit.prevent="moment !== '' && lookBack()">
    <label>
      As they were at
      <input v-model="moment" type="datetime-local" step="1" class="p-inputtext p-component p-inputtext-sm" />
    </label>
    <Button type="submit" size="small" label="Look back" outlined :disabled="moment === ''" />
  </form>
  <section v-if="then" class="sheet then" aria-label="As they were">
    <h2>From now to {{ timeInWords(then.at) }}</h2>
    <p v-if="then.differences.length === 0">Nothing was different then.</p>
    <template v-else>
      <ul>
        <li v-for="one in then.differences" :key="one.key">
          <label><Checkbox v-model="only" :value="one.key" :input-id="`only-${one.key}`" /> {{ one.key }}</label>
          <span v-for="(words, index) in one.words" :key="index" class="difference">{{ words }}</span>
        </li>
      </ul>
      <div class="ask">
        <span>What is there now goes to the trash.</span>
        <Button size="small" label="Bring it back" :disabled="only.length === 0" @click="restoreMoment" />
        <Button size="small" label="Leave it" severity="secondary" text @click="then = undefined" />
      </div>
    </template>
  </section>
  <div class="choice">
    <Select v-model="chosen" :options="keys" size="small" aria-label="Of which record" />
    <span v-if="first" class="muted" role="status">
      Compare revision {{ first.revision }} of {{ first.key }} with which?
    </span>
  </div>
  <p v-if="lines?.length === 0" class="muted">No revision is kept.</p>
  <table v-else-if="lines" class="sheet">
    <thead>
      <tr>
        <th scope="col">When</th>
        <th scope="col">Record</th>
        <th scope="col">Changed</th>
        <th scope="col">By</th>
        <th scope="col"><span class="hidden">What to do with it</span></th>
      </tr>
    </thead>
    <tbody>
      <template v-for="line in lines" :key="idOf(line)">
        <tr :data-revision="idOf(line)" :class="{ marked: isMarked(line) }">
          <td class="numerals when">{{ timeInWords(line.at) }}</td>
          <td class="record">
            {{ line.key }} <span class="muted numerals">{{ line.revision }}</span>
          </td>
          <td class="words">
            <span v-if="line.removed" class="muted">removed</span>
            <span v-else-if="line.words === null" class="muted">what came before it is kept no more</span>
            <template v-else>
              <span v-for="(words, index) in line.words.slice(0, 4)" :key="index" class="difference">{{ words }}</span>
              <span v-if="line.words.length + line.more > 4" class="muted"
                >and {{ line.words.length + line.more - 4 }} more</span
              >
            </template>
            <span v-if="line.label" class="muted label">{{ line.label }}</span>
          </td>
          <td>{{ hostInWords(line.by ?? 'nobody known') }}</td>
          <td class="actions">
            <Button size="small" :label="isMarked(line) ? 'Not this' : 'Compare'" text @click="mark(line)" />
            <Button
              v-if="!line.removed && heldNow(line.key)?.revision !== line.revision"
              size="small"
              label="Bring back"
              text
              @click="ask(line)"
            />
          </td>
        </tr>
        <tr v-if="compared && idOf(compared.line) === idOf(line)" class="compared">
          <td colspan="5">
            <h3>{{ compared.title }}</h3>
            <p v-if="compared.words.length === 0" class="muted">Nothing is different.</p>
            <span v-for="(words, index) in compared.words" :key="index" class="difference">{{ words }}</span>
            <div v-if="asked === idOf(line)" class="ask" role="alertdialog" aria-label="Are you sure?">
              <span>What stands there now goes to the trash.</span>
              <Button size="small" label="Bring it back" autofocus @click="restore(line)" />
              <Button
                size="small"
                label="Leave it"
                severity="secondary"
                text
                @click="((asked = undefined), (compared = undefined))"
              />
            </div>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
  <Button v-if="next !== null" class="more" size="small" label="Older ones" outlined @click="more" />
</template>

<style scoped>
.said {
  margin: 0 0 0.8rem;
}

.moment,
.choice {
  display: flex;
  gap: 0.9rem;
  align-items: center;
  margin-bottom: 0.8rem;
}

.moment label {
  display: flex;
  gap: 0.7rem;
  align-items: center;
}

.then {
  margin-bottom: 1rem;
  padding: 0.8rem 1.2rem 1rem;
  border-left: 4px solid var(--earth);
}

.then ul {
  display: grid;
  gap: 0.4rem;
  margin: 0.5rem 0 0.8rem;
  padding: 0;
  list-style: none;
}

.then li label {
  font-weight: 700;
}

.difference {
  display: block;
  overflow-wrap: anywhere;
}

.then .difference {
  padding-left: 1.7rem;
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
  vertical-align: top;
  border-bottom: 1px solid var(--line);
}

thead th {
  font-size: 0.86rem;
  font-weight: 500;
  color: var(--p-text-muted-color);
}

.when,
.record {
  white-space: nowrap;
}

.label {
  display: block;
  font-size: 0.92rem;
}

.actions {
  white-space: nowrap;
  text-align: right;
}

.marked > td,
.compared > td {
  background: var(--good-soft);
}

.compared .ask,
.then .ask {
  display: flex;
  gap: 0.7rem;
  align-items: center;
  margin-top: 0.5rem;
}

.more {
  margin-top: 0.8rem;
}

.hidden {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
