<script setup lang="ts">
import type { Manifest } from '@vekkon/core';
import type { Tuned, TuningRules } from '@vekkon/core/tuning';
import type { DeclareTunableRequest, Draft } from '@vekkon/protocol';
import Button from 'primevue/button';
import Skeleton from 'primevue/skeleton';
import Tab from 'primevue/tab';
import TabList from 'primevue/tablist';
import TabPanel from 'primevue/tabpanel';
import TabPanels from 'primevue/tabpanels';
import Tabs from 'primevue/tabs';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import ProblemNotice from '../components/ProblemNotice.vue';
import { moved } from '../components/tuning/calendar.js';
import CalendarView from '../components/tuning/CalendarView.vue';
import EditionsView from '../components/tuning/EditionsView.vue';
import ExplainView from '../components/tuning/ExplainView.vue';
import NewTunable from '../components/tuning/NewTunable.vue';
import PublishView from '../components/tuning/PublishView.vue';
import TestersView from '../components/tuning/TestersView.vue';
import TrialsView from '../components/tuning/TrialsView.vue';
import TunableEditor from '../components/tuning/TunableEditor.vue';
import { stateOf, tunedOf, wantedOf } from '../components/tuning/tuned.js';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { agoInWords, valueInWords } from '../words.js';

const { calls, environment, operator } = useSignedIn();
const route = useRoute();
const router = useRouter();
const draft = ref<Draft>();
const running = ref<TuningRules>();
const manifest = ref<Manifest>();
const problem = ref<unknown>();
/** What was refused of the tunable that is open. */
const refused = ref<unknown>();
const said = ref('');
const tab = ref(String(route.query['look'] ?? 'tunables'));
const chosen = ref(String(route.query['tunable'] ?? ''));
/** Of whom it was asked elsewhere what they get. */
const first = route.query['player'] === undefined ? undefined : String(route.query['player']);
const isDeclaring = ref(false);
const names = computed(() => Object.keys(draft.value?.tunables ?? {}));
const open = computed(() => draft.value?.tunables[chosen.value]);
const role = computed(() => operator.value?.role ?? 'viewer');
const mayEdit = computed(() => role.value === 'designer' || role.value === 'admin');
const mayPublish = computed(
  () =>
    mayEdit.value &&
    (role.value === 'admin' || environment.value?.isLive === false || environment.value?.designersPublish === true),
);

async function load(): Promise<void> {
  try {
    const [found, rules] = await Promise.all([calls.value.tuning.draft(), calls.value.tuning.rules()]);
    draft.value = found;
    running.value = rules as unknown as TuningRules;
    manifest.value ??= (await calls.value.manifest()).manifest;
    if (open.value === undefined) chosen.value = names.value[0] ?? '';
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

/** One after the other: each sees what the one before it came to. */
let changing: Promise<void> = Promise.resolve();

/** Does something to the draft, and shows how it stands then, whatever came of it. */
function change(make: (revision: number) => Promise<unknown>, then = ''): Promise<void> {
  changing = changing.then(() => changeNow(make, then));
  return changing;
}

async function changeNow(make: (revision: number) => Promise<unknown>, then: string): Promise<void> {
  refused.value = undefined;
  said.value = '';
  try {
    await make(draft.value?.revision ?? 0);
    said.value = then;
  } catch (error) {
    refused.value = error;
  }
  await load();
}

function put(tunable: string, tuned: Tuned): Promise<void> {
  return change((revision) => calls.value.tuning.put(tunable, { ...wantedOf(tuned), revision }));
}

/** Moves a window, or one of its ends, from where it is when its turn comes. */
function move(tunable: string, id: string, part: 'all' | 'from' | 'until', by: number): Promise<void> {
  return change(async (revision) => {
    const before = draft.value?.tunables[tunable];
    if (before === undefined) return;
    const tuned = tunedOf(before);
    const adjustments = tuned.adjustments.map((one) => (one.id === id ? moved(one, part, by) : one));
    await calls.value.tuning.put(tunable, { ...wantedOf({ ...tuned, adjustments }), revision });
  });
}

function publish(note: string): Promise<void> {
  return change((revision) => calls.value.tuning.publish({ note, revision }), 'Published: it holds at once for all.');
}

async function declare(tunable: DeclareTunableRequest): Promise<void> {
  await change(() => calls.value.tuning.declare(tunable), `${tunable.name} is declared.`);
  await manifestAnew();
  if (refused.value !== undefined) return;
  isDeclaring.value = false;
  chosen.value = tunable.name;
}

async function remove(tunable: string): Promise<void> {
  await change(() => calls.value.tuning.undeclare(tunable), `${tunable} is out of the manifest.`);
  await manifestAnew();
}

async function manifestAnew(): Promise<void> {
  manifest.value = undefined;
  await load();
}

function countRunning(name: string): number {
  const one = draft.value?.tunables[name];
  return one === undefined
    ? 0
    : tunedOf(one).adjustments.filter((adjustment) => stateOf(adjustment, Date.now()) === 'running').length;
}

/** What a tunable is for everybody, for a glance. */
function baseInWords(one: Draft['tunables'][string] | undefined): string {
  const value = one?.value ?? one?.starting;
  return Array.isArray(value) ? `${value.length} ${value.length === 1 ? 'row' : 'rows'}` : valueInWords(value);
}

watch([tab, chosen], () => {
  refused.value = undefined;
  void router.replace({ query: { look: tab.value, ...(tab.value === 'tunables' && { tunable: chosen.value }) } });
});
refreshing(load, { topics: ['activity', 'tuning'] });
</script>

<template>
  <div class="head">
    <div>
      <h1>Tuning</h1>
      <p v-if="draft" class="muted">
        <template v-if="draft.published">
          Edition {{ draft.edition }} runs, published {{ agoInWords(draft.published.at) }} by {{ draft.published.by }}:
          {{ draft.published.note }}
        </template>
        <template v-else>Nothing was published yet: all is as the manifest says.</template>
      </p>
    </div>
    <p role="status" class="said">{{ said }}</p>
  </div>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <Skeleton v-if="!draft && !problem" height="22rem" />
  <template v-else-if="draft && running && manifest">
    <PublishView
      v-if="draft.differences.length > 0"
      :draft="draft"
      :may-publish="mayPublish"
      :is-live="environment?.isLive === true"
      @publish="publish"
    />
    <p v-if="refused && tab !== 'tunables'" class="wrong" role="alert">{{ (refused as Error).message }}</p>
    <Tabs v-model:value="tab" lazy>
      <TabList>
        <Tab value="tunables">Tunables</Tab>
        <Tab value="calendar">Calendar</Tab>
        <Tab value="why">What does this player get?</Tab>
        <Tab value="trials">Trials</Tab>
        <Tab value="editions">Editions</Tab>
      </TabList>
      <TabPanels>
        <TabPanel value="tunables">
          <div class="tunables">
            <aside>
              <nav class="sheet" aria-label="Tunables">
                <button
                  v-for="name in names"
                  :key="name"
                  type="button"
                  :class="{ here: name === chosen && !isDeclaring }"
                  @click="((chosen = name), (isDeclaring = false))"
                >
                  <b>{{ name }}</b>
                  <span class="value">{{ baseInWords(draft.tunables[name]) }}</span>
                  <span class="marks">
                    <span v-if="draft.tunables[name]?.isEdited" class="edited">edited</span>
                    <span v-if="countRunning(name) > 0" class="muted">{{ countRunning(name) }} running</span>
                  </span>
                </button>
                <p v-if="names.length === 0" class="muted">None is declared yet.</p>
                <Button
                  v-if="mayPublish"
                  label="Another tunable"
                  icon="pi pi-plus"
                  size="small"
                  text
                  @click="isDeclaring = true"
                />
              </nav>
              <TestersView :may-edit="mayEdit" />
            </aside>
            <NewTunable v-if="isDeclaring" @declare="declare" @left="isDeclaring = false" />
            <TunableEditor
              v-else-if="open"
              :name="chosen"
              :tunable="open"
              :types="running.types"
              :manifest="manifest"
              :problem="refused"
              :may-edit="mayEdit"
              :may-remove="mayPublish"
              @put="(tuned) => put(chosen, tuned)"
              @put-back="change((revision) => calls.tuning.putBack(chosen, revision))"
              @remove="remove(chosen)"
            />
          </div>
        </TabPanel>
        <TabPanel value="calendar"><CalendarView :draft="draft" :may-edit="mayEdit" @move="move" /></TabPanel>
        <TabPanel value="why"
          ><ExplainView :draft="draft" :running="running" :manifest="manifest" :first="first"
        /></TabPanel>
        <TabPanel value="trials"><TrialsView :may-publish="mayPublish" @published="load" /></TabPanel>
        <TabPanel value="editions">
          <EditionsView :running="draft.edition" :may-publish="mayPublish" @published="load" />
        </TabPanel>
      </TabPanels>
    </Tabs>
  </template>
</template>

<style scoped>
.head {
  display: flex;
  gap: 1rem;
  align-items: end;
  margin-bottom: 1rem;
}

.head p {
  margin: 0.2rem 0 0;
}

.said {
  margin-left: auto;
  color: var(--good);
}

.tunables {
  display: grid;
  grid-template-columns: 17rem 1fr;
  gap: 1.1rem;
  align-items: start;
}

aside {
  display: grid;
  gap: 1.1rem;
}

nav {
  display: grid;
  padding: 0.4rem;
}

nav button:not(.p-button) {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 0.6rem;
  padding: 0.45rem 0.7rem;
  border: 0;
  border-left: 3px solid transparent;
  background: none;
  color: inherit;
  font-size: inherit;
  text-align: left;
  cursor: pointer;
}

nav button.here:not(.p-button) {
  border-left-color: var(--route);
  background: var(--ground);
}

.value {
  grid-column: 1;
  overflow: hidden;
  color: var(--p-text-muted-color);
  font-size: 0.94rem;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.marks {
  grid-row: 1 / 3;
  grid-column: 2;
  display: grid;
  justify-items: end;
  font-size: 0.9rem;
}

.edited,
.wrong {
  color: var(--route);
}
</style>
