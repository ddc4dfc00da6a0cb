<script setup lang="ts">
import type { ActivityList } from '@vekkon/protocol';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import UnsettledView from '../components/UnsettledView.vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, timeInWords } from '../words.js';

/** What happened, as it happens. */
const { calls } = useSignedIn();
const activity = ref<ActivityList['activity']>();
const next = ref<number | null>(null);
const problem = ref<unknown>();
const player = ref('');
const by = ref('');
const what = ref<string | null>(null);
const failed = ref(false);
const since = ref<number | null>(null);
/** Whoever reads on is not thrown back to the top. */
let isPagedOn = false;

const kinds = [
  'joined',
  'left',
  'save-refused',
  'came-late',
  'tries-failed',
  'taken-over',
  'result-doubtful',
  'handover-wanted',
  'changed',
  'restored',
  'turned-back',
  'checkpoint-made',
  'checkpoint-restored',
  'gift-begun',
  'gift-given',
  'gift-taken-back',
  'edition-published',
  'season-closed',
  'manifest-installed',
  'disturbance-started',
  'disturbance-stopped',
  'sign-in-failed',
  'key-made',
  'key-revoked',
  'player-erased',
];
const times = [
  { label: 'the last hour', hours: 1 },
  { label: 'the last day', hours: 24 },
  { label: 'the last week', hours: 24 * 7 },
];

const asked = computed(() => ({
  ...(player.value.trim() !== '' && { player: player.value.trim() }),
  ...(by.value.trim() !== '' && { by: by.value.trim() }),
  ...(what.value !== null && { what: what.value }),
  ...(failed.value && { failed: 'true' as const }),
  ...(since.value !== null && { since: new Date(Date.now() - since.value * 3_600_000).toISOString() }),
}));

async function load(): Promise<void> {
  if (isPagedOn) return;
  try {
    const page = await calls.value.activity(asked.value);
    activity.value = page.activity;
    next.value = page.next;
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

async function more(): Promise<void> {
  if (next.value === null) return;
  isPagedOn = true;
  const page = await calls.value.activity({ ...asked.value, before: next.value });
  activity.value = [...(activity.value ?? []), ...page.activity];
  next.value = page.next;
}

watch(asked, () => {
  isPagedOn = false;
  void load();
});

refreshing(load);
</script>

<template>
  <h1>Activity</h1>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <section aria-label="Unsettled">
    <h2>Unsettled</h2>
    <UnsettledView />
  </section>
  <section aria-label="What happened">
    <h2>What happened</h2>
    <div class="which">
      <InputText v-model.lazy="player" size="small" placeholder="Player's id" aria-label="Player" />
      <InputText v-model.lazy="by" size="small" placeholder="Host, key or operator" aria-label="By" />
      <Select v-model="what" :options="kinds" show-clear placeholder="Anything" aria-label="What" size="small" />
      <Select
        v-model="since"
        :options="times"
        option-label="label"
        option-value="hours"
        show-clear
        placeholder="Any time"
        aria-label="Since"
        size="small"
      />
      <label><Checkbox v-model="failed" binary input-id="failed" /> only failures</label>
    </div>
    <div v-if="activity?.length === 0" class="sheet none">Nothing like that has happened.</div>
    <div v-else-if="activity" class="sheet">
      <table>
        <thead>
          <tr>
            <th scope="col">When</th>
            <th scope="col">What</th>
            <th scope="col">By</th>
            <th scope="col">Player</th>
            <th scope="col">Detail</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in activity" :key="one.number">
            <td class="when">{{ timeInWords(one.at) }}</td>
            <td class="when">{{ one.what }}</td>
            <td>{{ one.by === null ? 'the service' : hostInWords(one.by) }}</td>
            <td>
              <RouterLink v-if="one.player" :to="{ name: 'player', params: { id: one.player } }">{{
                one.player
              }}</RouterLink><template v-else>–</template>
            </td>
            <td>{{ one.detail }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <Button
      v-if="next !== null"
      class="more"
      label="Earlier ones"
      size="small"
      severity="secondary"
      outlined
      @click="more"
    />
  </section>
</template>

<style scoped>
section {
  margin-top: 1.4rem;
}

h2 {
  margin-bottom: 0.6rem;
}

.which {
  display: flex;
  flex-wrap: wrap;
  gap: 0.7rem;
  align-items: center;
  margin-bottom: 0.7rem;
}

.which label {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
}

.none {
  padding: 1.2rem 1.6rem;
}

.sheet {
  overflow: hidden;
}

table {
  width: 100%;
  border-collapse: collapse;
}

th,
td {
  padding: 0.45rem 0.9rem;
  text-align: left;
  vertical-align: top;
  overflow-wrap: anywhere;
}

th {
  color: var(--p-text-muted-color);
  font-weight: 500;
}

tbody tr {
  border-top: 1px solid var(--line);
}

.when {
  white-space: nowrap;
}

.more {
  margin-top: 0.8rem;
}
</style>
