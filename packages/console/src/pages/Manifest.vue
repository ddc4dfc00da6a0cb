<script setup lang="ts">
import type { ManifestFile, ManifestResponse, ManifestVersionList } from '@vekkon/protocol';
import SelectButton from 'primevue/selectbutton';
import Skeleton from 'primevue/skeleton';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed, ref } from 'vue';
import DeclaredView from '../components/DeclaredView.vue';
import KeptView from '../components/KeptView.vue';
import InstallView from '../components/InstallView.vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { timeInWords } from '../words.js';

const { calls, environment } = useSignedIn();
const installed = ref<ManifestResponse>();
const versions = ref<ManifestVersionList['versions']>([]);
const file = ref<ManifestFile>();
const problem = ref<unknown>();
/** An older version that is looked at; undefined for the one that is installed. */
const chosen = ref<number>();
const forms = [
  { label: 'Readable', value: 'readable' },
  { label: 'File', value: 'file' },
];
const form = ref('readable');
const isOlder = computed(() => installed.value !== undefined && installed.value.version !== installed.value.newest);

async function load(): Promise<void> {
  try {
    const [manifest, list, text] = await Promise.all([
      calls.value.manifest(chosen.value),
      calls.value.manifestVersions(),
      calls.value.manifestFile(chosen.value),
    ]);
    installed.value = manifest;
    versions.value = list.versions;
    file.value = text;
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

function look(version: number): void {
  chosen.value = version === installed.value?.newest ? undefined : version;
  void load();
}

async function learn(learns: boolean): Promise<void> {
  try {
    await calls.value.setLearning(learns);
    await load();
  } catch (error) {
    problem.value = error;
  }
}

function startAgain(): void {
  chosen.value = undefined;
  void load();
}

refreshing(load);
</script>

<template>
  <div class="head">
    <div>
      <h1>Manifest</h1>
      <p v-if="installed" class="muted">
        {{ installed.manifest.title }} · version {{ installed.version
        }}<template v-if="isOlder"> of {{ installed.newest }}, an older one</template>, installed
        {{ timeInWords(installed.installedAt) }}
      </p>
    </div>
    <label v-if="installed && !environment?.isLive" class="learns">
      <ToggleSwitch
        :model-value="installed.learns"
        aria-label="Learns"
        @update:model-value="(wanted: boolean) => learn(wanted)"
      />
      <span
        >{{ installed.learns ? 'It learns' : 'It does not learn' }}
        <span class="muted">{{
          installed.learns ? 'what is not declared is declared from its first value' : 'what is not declared is refused'
        }}</span></span
      >
    </label>
  </div>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <div v-if="installed && file" class="columns">
    <section aria-label="What is declared">
      <div class="bar">
        <h2>What is declared</h2>
        <SelectButton
          v-model="form"
          :options="forms"
          option-label="label"
          option-value="value"
          :allow-empty="false"
          size="small"
          aria-label="Form"
        />
      </div>
      <DeclaredView v-if="form === 'readable'" :manifest="installed.manifest" />
      <pre v-else class="sheet file">{{ file.text }}</pre>
    </section>
    <aside>
      <section aria-label="Versions">
        <h2>Versions</h2>
        <ol class="sheet versions">
          <li v-for="one in versions" :key="one.version" :class="{ here: one.version === installed.version }">
            <button type="button" @click="look(one.version)">
              <span class="number">{{ one.version }}</span>
              <span>{{ timeInWords(one.installedAt) }}</span>
              <span class="muted by">{{ one.by ?? '' }}</span>
            </button>
          </li>
        </ol>
      </section>
      <section v-if="file.learned.length > 0" aria-label="Learned">
        <h2>Learned</h2>
        <ul class="sheet learned">
          <li v-for="one in file.learned" :key="`${one.section}/${one.name}`">
            <b>{{ one.name }}</b> <span class="muted">in {{ one.section }}, {{ timeInWords(one.at) }}</span>
          </li>
        </ul>
        <p class="muted">Take them into your file with “vekkon manifest pull”, then install it.</p>
      </section>
      <InstallView :text="file.text" @installed="startAgain" />
    </aside>
  </div>
  <Skeleton v-else-if="!problem" height="24rem" />
  <KeptView v-if="installed" />
</template>

<style scoped>
.head,
.bar {
  display: flex;
  align-items: center;
  justify-content: space-between;
}

.head {
  margin-bottom: 1.2rem;
}

.head p {
  margin: 0.25rem 0 0;
}

.bar {
  margin-bottom: 0.6rem;
}

.learns {
  display: flex;
  align-items: center;
  gap: 0.7rem;
}

.learns .muted {
  display: block;
  font-size: 0.94rem;
}

.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.7fr) minmax(0, 1fr);
  gap: 1.6rem;
  align-items: start;
}

aside section + section {
  margin-top: 1.5rem;
}

h2 {
  margin-bottom: 0.6rem;
}

.bar h2 {
  margin: 0;
}

.file {
  max-height: 60rem;
  margin: 0;
  padding: 1rem 1.3rem;
  overflow: auto;
  font-size: 0.9rem;
  line-height: 1.45;
}

.versions,
.learned {
  max-height: 15rem;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}

.versions li + li,
.learned li + li {
  border-top: 1px solid var(--line);
}

.versions button {
  display: flex;
  gap: 0.9rem;
  align-items: baseline;
  width: 100%;
  padding: 0.5rem 1rem;
  border: 0;
  border-left: 4px solid transparent;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.versions .here button {
  border-left-color: var(--earth);
}

.number {
  min-width: 1.6rem;
  font-weight: 700;
}

.by {
  margin-left: auto;
  overflow: hidden;
  text-overflow: ellipsis;
}

.learned li {
  padding: 0.45rem 1rem;
}
</style>
