<script setup lang="ts">
import type { ListedSession, SessionDetails, SessionSaves } from '@vekkon/protocol';
import Button from 'primevue/button';
import { computed, ref } from 'vue';
import { useSignedIn } from '../signed-in.js';
import { bytesInWords, secondInWords, endInWords, hostInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';
import ValueView from './ValueView.vue';

/** A player's stays: who held them, and what they came with and left behind. */
const { sessions } = defineProps<{ sessions: readonly ListedSession[] }>();

const { calls } = useSignedIn();
const opened = ref<string>();
const details = ref<SessionDetails>();
const saves = ref<SessionSaves>();
const problem = ref<unknown>();
const showsAll = ref(false);
const perPage = 20;

async function earlier(id: string): Promise<void> {
  const known = saves.value;
  if (known === undefined || known.next === null) return;
  const page = await calls.value.savesOf(id, { count: perPage, before: known.next });
  if (opened.value === id) saves.value = { ...known, saves: [...known.saves, ...page.saves], next: page.next };
}

/** Saves and what went wrong, in the order in which it happened, the newest first. */
const happened = computed(() => {
  const { saves: saved = [], troubles = [] } = saves.value ?? {};
  const lines = [
    ...saved.map((one) => ({ at: one.at, id: `save ${one.seen}`, save: one, trouble: undefined })),
    ...troubles.map((one, index) => ({ at: one.at, id: `trouble ${index}`, save: undefined, trouble: one })),
  ];
  return lines.toSorted((one, other) => (one.at < other.at ? 1 : -1));
});

/** Of currencies the movements say it, with their reasons. */
const recordsToTell = ({ records, moved }: SessionSaves['saves'][number]) =>
  records.filter(({ key }) => moved.length === 0 || !key.startsWith('currency/'));

async function toggle(id: string): Promise<void> {
  problem.value = undefined;
  if (opened.value === id) {
    opened.value = undefined;
    return;
  }
  opened.value = id;
  details.value = undefined;
  saves.value = undefined;
  try {
    const [found, saved] = await Promise.all([calls.value.session(id), calls.value.savesOf(id, { count: perPage })]);
    if (opened.value === id) [details.value, saves.value] = [found, saved];
  } catch (error) {
    problem.value = error;
  }
}

const rows = computed(() => {
  const { loaded = {}, stored = {} } = details.value ?? {};
  return [...new Set([...Object.keys(loaded), ...Object.keys(stored)])].sort().map((key) => ({
    key,
    loaded: loaded[key],
    stored: stored[key],
    hasChanged: loaded[key]?.revision !== stored[key]?.revision,
  }));
});
const shown = computed(() => rows.value.filter((row) => showsAll.value || row.hasChanged));
</script>

<template>
  <p v-if="sessions.length === 0" class="sheet none">
    This player has not joined yet. What was put for them waits for their first join.
  </p>
  <ol v-else>
    <li v-for="one in sessions" :key="one.id" class="sheet">
      <button type="button" :aria-expanded="opened === one.id" @click="toggle(one.id)">
        <i :class="opened === one.id ? 'pi pi-chevron-down' : 'pi pi-chevron-right'" aria-hidden="true" />
        <span class="when numerals">{{ timeInWords(one.joinedAt) }}</span>
        <span class="host" :title="one.host">{{ hostInWords(one.host) }}</span>
        <span>{{ one.saves === 1 ? '1 save' : `${one.saves} saves` }}</span>
        <span v-if="one.isNew" class="new">new player</span>
        <span v-if="one.changedAfter === 0" class="carried" title="The next join found exactly what this session stored"
          >carried over</span
        >
        <span
          v-else-if="one.changedAfter !== null"
          class="muted"
          title="A gift, a repair or a settled transaction came between its end and the next join"
          >changed {{ one.changedAfter === 1 ? 'once' : `${one.changedAfter} times` }} before the next join</span
        >
        <span class="end" :class="{ open: one.end === null }">
          {{ endInWords(one.end) }}<template v-if="one.endedAt"> · {{ timeInWords(one.endedAt) }}</template>
        </span>
      </button>
      <div v-if="opened === one.id" class="details">
        <ProblemNotice v-if="problem" :problem="problem" @again="toggle(one.id)" />
        <template v-else-if="details">
          <div class="bar">
            <span class="muted">{{ one.id }}</span>
            <label><input v-model="showsAll" type="checkbox" /> also what did not change</label>
          </div>
          <p v-if="shown.length === 0">Nothing changed in this session.</p>
          <table v-else>
            <thead>
              <tr>
                <th scope="col">Record</th>
                <th scope="col">Loaded at join</th>
                <th scope="col">
                  {{
                    one.end === null ? 'Stored so far' : one.end === 'left' ? 'Stored at leave' : 'Stored at its end'
                  }}
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="row in shown" :key="row.key" :class="{ changed: row.hasChanged }">
                <th scope="row">{{ row.key }}</th>
                <td>
                  <ValueView v-if="row.loaded" :value="row.loaded.value" /><span v-else class="muted"
                    >not stored yet</span
                  >
                </td>
                <td>
                  <ValueView v-if="row.stored" :value="row.stored.value" /><span v-else class="muted">not stored</span>
                </td>
              </tr>
            </tbody>
          </table>
          <h3>{{ saves && saves.saves.length > 0 ? 'Its saves, the newest first' : 'No save changed anything' }}</h3>
          <table v-if="happened.length > 0" class="saves">
            <thead>
              <tr>
                <th scope="col">When</th>
                <th scope="col">Size</th>
                <th scope="col">Changed</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="line in happened" :key="line.id" :class="{ trouble: line.trouble }">
                <td class="numerals">{{ secondInWords(line.at) }}</td>
                <td class="numerals">{{ line.save ? bytesInWords(line.save.bytes) : '' }}</td>
                <td v-if="line.save">
                  <span v-for="(words, index) in line.save.moved" :key="index" class="words">{{ words }}</span>
                  <span v-for="record in recordsToTell(line.save)" :key="record.key" class="words">
                    {{ record.key }}
                    <span class="muted">{{
                      record.words === null ? 'changed' : record.words.slice(0, 6).join(', ')
                    }}</span>
                  </span>
                </td>
                <td v-else-if="line.trouble">
                  <strong>{{ line.trouble.what.replaceAll('-', ' ') }}</strong> {{ line.trouble.detail }}
                </td>
              </tr>
            </tbody>
          </table>
          <Button
            v-if="saves?.next"
            label="Earlier saves"
            severity="secondary"
            outlined
            size="small"
            @click="earlier(one.id)"
          />
        </template>
        <p v-else class="muted">Loading …</p>
      </div>
    </li>
  </ol>
</template>

<style scoped>
.carried {
  padding: 0 0.5rem;
  border-radius: 3px;
  background: var(--good-soft);
  color: var(--good);
  font-size: 0.92rem;
}

.none {
  padding: 1.2rem 1.4rem;
}

ol {
  display: grid;
  gap: 0.5rem;
  margin: 0;
  padding: 0;
  list-style: none;
}

button {
  display: flex;
  align-items: center;
  gap: 1.1rem;
  width: 100%;
  padding: 0.6rem 1rem;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.when {
  min-width: 11rem;
  font-weight: 700;
}

.host {
  min-width: 8rem;
}

.new {
  padding: 0 0.5rem;
  border-radius: 3px;
  background: var(--route-soft);
  color: var(--route);
}

.end {
  margin-left: auto;
  color: var(--p-text-muted-color);
}

.end.open {
  padding: 0 0.6rem;
  border-radius: 3px;
  background: var(--good-soft);
  color: var(--good);
  font-weight: 500;
}

.details {
  padding: 0.2rem 1rem 1rem 2.9rem;
}

.bar {
  display: flex;
  justify-content: space-between;
  margin-bottom: 0.4rem;
}

table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
}

th,
td {
  padding: 0.4rem 0.8rem 0.4rem 0;
  border-top: 1px solid var(--line);
  text-align: left;
  vertical-align: top;
  overflow-wrap: anywhere;
}

thead th {
  border-top: 0;
  font-size: 0.86rem;
  font-weight: 500;
  color: var(--p-text-muted-color);
}

th:first-child {
  width: 14rem;
}

.details h3 {
  margin: 1rem 0 0.3rem;
}

.saves th:first-child {
  width: 8rem;
}

.saves th:nth-child(2) {
  width: 6rem;
}

.words {
  display: block;
}

.trouble td {
  background: var(--route-soft);
}

.changed td:last-child {
  box-shadow: inset 3px 0 0 var(--route);
  padding-left: 0.8rem;
}
</style>
