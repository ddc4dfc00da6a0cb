<script setup lang="ts">
import type { Manifest } from '@vekkon/core';
import type { ListedSession, PlayerDetails } from '@vekkon/protocol';
import Button from 'primevue/button';
import SelectButton from 'primevue/selectbutton';
import Skeleton from 'primevue/skeleton';
import Tab from 'primevue/tab';
import TabList from 'primevue/tablist';
import TabPanel from 'primevue/tabpanel';
import TabPanels from 'primevue/tabpanels';
import Tabs from 'primevue/tabs';
import { computed, ref } from 'vue';
import CheckpointsView from '../components/CheckpointsView.vue';
import EraseView from '../components/player/EraseView.vue';
import HistoryView from '../components/player/HistoryView.vue';
import MendView from '../components/player/MendView.vue';
import LedgerView from '../components/LedgerView.vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import RecordsView from '../components/RecordsView.vue';
import SessionsView from '../components/SessionsView.vue';
import StandingsView from '../components/StandingsView.vue';
import TrashView from '../components/TrashView.vue';
import UnsettledView from '../components/UnsettledView.vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { agoInWords, hostInWords, timeInWords } from '../words.js';

const { id } = defineProps<{ id: string }>();

const { calls, operator } = useSignedIn();
/** Who may change what players have. */
const mayMend = computed(() => ['support', 'designer', 'admin'].includes(operator.value?.role ?? 'viewer'));
const player = ref<PlayerDetails>();
const sessions = ref<readonly ListedSession[]>([]);
const manifest = ref<Manifest>();
const problem = ref<unknown>();
const forms = [
  { label: 'Readable', value: 'readable' },
  { label: 'JSON', value: 'json' },
];
const form = ref('readable');
const json = computed(() => JSON.stringify(player.value?.records ?? {}, null, 2));
const isCopied = ref(false);

async function load(): Promise<void> {
  try {
    manifest.value ??= (await calls.value.manifest()).manifest;
    const [details, stays] = await Promise.all([calls.value.player(id), calls.value.sessionsOf(id, 50)]);
    player.value = details;
    sessions.value = stays.sessions;
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

const asked = ref('');

/** Asks the host that holds the player for a save. */
async function saveNow(): Promise<void> {
  const { asked: isAsked, host } = await calls.value.saveNow(id);
  asked.value = isAsked ? `${host} was asked` : 'the host does not listen';
  setTimeout(() => (asked.value = ''), 4_000);
}

/** Everything that is kept of the player, as a file: it is theirs. */
async function exportAll(): Promise<void> {
  try {
    const text = JSON.stringify(await calls.value.history.export(id), null, 2);
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([text], { type: 'application/json' }));
    link.download = `${id}.json`;
    link.click();
    URL.revokeObjectURL(link.href);
  } catch (error) {
    problem.value = error;
  }
}

async function copy(): Promise<void> {
  await navigator.clipboard.writeText(json.value);
  isCopied.value = true;
  setTimeout(() => (isCopied.value = false), 2_000);
}

refreshing(load, { topics: [], player: id });
</script>

<template>
  <nav class="back" aria-label="Back"><RouterLink to="/players">← Players</RouterLink></nav>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <template v-if="player">
    <div class="head">
      <div>
        <h1>{{ player.name ?? player.id }}</h1>
        <p class="muted">
          <span class="numerals">{{ player.id }}</span> · first seen {{ timeInWords(player.createdAt) }} · last left
          {{ agoInWords(player.lastLeftAt) }} ·
          <RouterLink :to="{ name: 'tuning', query: { look: 'why', player: player.id } }"
            >what they get of tunables</RouterLink
          >
        </p>
      </div>
      <div class="holder">
        <span v-if="player.sessionOn" class="in-session" :title="player.sessionOn"
          >in session on {{ hostInWords(player.sessionOn) }}</span
        >
        <Button v-if="player.sessionOn" label="Save now" size="small" severity="secondary" outlined @click="saveNow" />
        <span v-if="asked" class="muted" role="status">{{ asked }}</span>
        <Button v-if="mayMend" label="Export" size="small" severity="secondary" outlined @click="exportAll" />
      </div>
    </div>
    <Tabs value="records" lazy>
      <TabList>
        <Tab value="records">Records</Tab>
        <Tab v-if="mayMend" value="mend">Change</Tab>
        <Tab value="history">History</Tab>
        <Tab value="ledger">Ledger</Tab>
        <Tab value="standings">Standings</Tab>
        <Tab value="sessions">Sessions</Tab>
        <Tab value="unsettled">Unsettled</Tab>
        <Tab value="checkpoints">Checkpoints</Tab>
        <Tab value="trash">Trash</Tab>
      </TabList>
      <TabPanels>
        <TabPanel value="records">
          <SelectButton
            v-model="form"
            class="form"
            :options="forms"
            option-label="label"
            option-value="value"
            :allow-empty="false"
            size="small"
            aria-label="Form"
          />
          <RecordsView v-if="form === 'readable'" :records="player.records" :manifest="manifest" />
          <div v-else class="sheet json">
            <Button
              class="copy"
              :label="isCopied ? 'Copied' : 'Copy'"
              icon="pi pi-copy"
              size="small"
              severity="secondary"
              @click="copy"
            />
            <pre>{{ json }}</pre>
          </div>
        </TabPanel>
        <TabPanel v-if="mayMend && manifest" value="mend">
          <MendView :player="player" :manifest="manifest" @changed="load" />
        </TabPanel>
        <TabPanel value="history">
          <HistoryView :player="player" @changed="load" />
        </TabPanel>
        <TabPanel value="ledger">
          <LedgerView :player="player.id" />
        </TabPanel>
        <TabPanel value="standings">
          <StandingsView :player="player.id" />
        </TabPanel>
        <TabPanel value="sessions">
          <SessionsView :sessions="sessions" />
        </TabPanel>
        <TabPanel value="unsettled">
          <UnsettledView :player="player.id" />
        </TabPanel>
        <TabPanel value="checkpoints">
          <CheckpointsView :player="player.id" :may-mend="mayMend" />
        </TabPanel>
        <TabPanel value="trash">
          <TrashView :player="player.id" />
        </TabPanel>
      </TabPanels>
    </Tabs>
    <EraseView v-if="operator?.role === 'admin'" class="erase" :player="player.id" />
  </template>
  <template v-else-if="!problem">
    <Skeleton width="18rem" height="2.4rem" />
    <Skeleton class="waiting" height="22rem" />
  </template>
</template>

<style scoped>
.erase {
  margin-top: 1.4rem;
}

.back {
  margin-bottom: 0.5rem;
}

.back a {
  text-decoration: none;
}

.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 0.9rem;
}

.head p {
  margin: 0.25rem 0 0;
}

.in-session {
  padding: 0.2rem 0.8rem;
  border-radius: 3px;
  background: var(--good-soft);
  color: var(--good);
  font-weight: 500;
}

.holder {
  display: flex;
  align-items: center;
  gap: 0.8rem;
}

.form {
  float: right;
}

.json {
  position: relative;
  clear: both;
  padding: 1rem 1.3rem;
}

.json pre {
  margin: 0;
  overflow-x: auto;
}

.copy {
  position: absolute;
  top: 0.9rem;
  right: 0.9rem;
}

.waiting {
  margin-top: 1.2rem;
}
</style>
