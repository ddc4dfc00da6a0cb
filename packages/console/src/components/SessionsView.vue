<script setup lang="ts">
import type { ListedSession, SessionDetails } from '@vekkon/protocol';
import { computed, ref } from 'vue';
import { useSignedIn } from '../signed-in.js';
import { endInWords, hostInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';
import ValueView from './ValueView.vue';

/** A player's stays: who held them, and what they came with and left behind. */
const { sessions } = defineProps<{ sessions: readonly ListedSession[] }>();

const { calls } = useSignedIn();
const opened = ref<string>();
const details = ref<SessionDetails>();
const problem = ref<unknown>();
const showsAll = ref(false);

async function toggle(id: string): Promise<void> {
  problem.value = undefined;
  if (opened.value === id) {
    opened.value = undefined;
    return;
  }
  opened.value = id;
  details.value = undefined;
  try {
    const found = await calls.value.session(id);
    if (opened.value === id) details.value = found;
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

.changed td:last-child {
  box-shadow: inset 3px 0 0 var(--route);
  padding-left: 0.8rem;
}
</style>
