<script setup lang="ts">
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, nextTick, onMounted, ref } from 'vue';
import ContourLines from '../components/ContourLines.vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import { useDaylight } from '../daylight.js';
import mark from '../mark.svg';
import CallSheet, { type ProblemMeaning } from './CallSheet.vue';
import { callsIn, callsWith, type Call, type OpenApiDocument } from './document.js';

/** The OpenAPI document of the service that serves this page, to be read. */
const { isNight, toggle } = useDaylight();
const calls = ref<readonly Call[]>([]);
const version = ref('');
const meanings = ref<ReadonlyMap<string, ProblemMeaning>>(new Map());
const problem = ref<unknown>();
const looked = ref('');
const chosen = ref('');

const groups = computed(() => Map.groupBy(callsWith(calls.value, looked.value), ({ group }) => group));
const call = computed(() => calls.value.find(({ id }) => id === chosen.value));

async function load(): Promise<void> {
  try {
    const [document, catalogue] = await Promise.all([
      read<OpenApiDocument>('/openapi.json'),
      read<{ problems: readonly ({ code: string } & ProblemMeaning)[] }>('/problems'),
    ]);
    version.value = document.info.version;
    calls.value = callsIn(document);
    meanings.value = new Map(catalogue.problems.map((one) => [one.code, one]));
    problem.value = undefined;
    look();
  } catch (error) {
    problem.value = error;
  }
}

async function read<Answer>(path: string): Promise<Answer> {
  const response = await fetch(path);
  if (!response.ok) throw new Error(`${path} was answered with status ${response.status}.`);
  return (await response.json()) as Answer;
}

/** Shows the call that the address names, so that it can be handed on, from its beginning. */
function look(): void {
  chosen.value = decodeURIComponent(location.hash.slice(1)) || 'join';
  window.scrollTo(0, 0);
  void nextTick(() => document.querySelector('nav .here')?.scrollIntoView({ block: 'nearest' }));
}

onMounted(() => {
  window.addEventListener('hashchange', look);
  return load();
});
</script>

<template>
  <ContourLines />
  <header>
    <a class="mark" href="/console/"><img :src="mark" alt="" width="30" height="30" />Vekkon</a>
    <p>
      Every call of this service, version {{ version }}. For programs:
      <a href="/openapi.json">/openapi.json</a> (OpenAPI 3.1).
    </p>
    <Button
      :icon="isNight ? 'pi pi-sun' : 'pi pi-moon'"
      text
      rounded
      severity="secondary"
      :aria-label="isNight ? 'Day' : 'Night'"
      @click="toggle"
    />
  </header>
  <main>
    <ProblemNotice v-if="problem" :problem @again="load" />
    <nav aria-label="Calls" class="sheet">
      <InputText v-model="looked" type="search" placeholder="Find a call" aria-label="Find a call" fluid />
      <p v-if="calls.length > 0 && groups.size === 0" class="muted">No call has these words.</p>
      <section v-for="[group, list] in groups" :key="group">
        <h2 class="small-caps">{{ group }}</h2>
        <a
          v-for="one in list"
          :key="one.id"
          :href="`#${one.id}`"
          :class="{ here: one.id === chosen }"
          :aria-current="one.id === chosen ? 'page' : undefined"
          :title="one.summary"
        >
          <span class="method" :class="one.method.toLowerCase()">{{ one.method }}</span><code>{{
            one.path.replace(/^\/v1/, '')
          }}</code>
        </a>
      </section>
    </nav>
    <CallSheet v-if="call" :key="call.id" :call :meanings />
    <div v-else-if="calls.length > 0" class="sheet none">
      <h3>There is no call “{{ chosen }}”.</h3>
      <p class="muted">Choose one on the left.</p>
    </div>
  </main>
</template>

<style>
.method {
  display: inline-block;
  min-width: 3.6rem;
  color: var(--p-primary-color);
  font-size: 0.82rem;
  font-weight: 700;
  letter-spacing: 0.04em;
}

.method.delete {
  color: var(--route);
}

.method.post,
.method.put {
  color: var(--p-text-color);
}
</style>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 1.4rem;
  padding: 0.7rem 1.6rem;
}

header p {
  margin: 0 auto 0 0;
}

.mark {
  display: flex;
  align-items: center;
  gap: 0.6rem;
  color: inherit;
  font-family: 'Alegreya Variable', Georgia, serif;
  font-size: 1.35rem;
  font-weight: 600;
  text-decoration: none;
}

main {
  display: grid;
  grid-template-columns: 24rem minmax(0, 1fr);
  gap: 1.4rem;
  align-items: start;
  padding: 0 1.6rem 2rem;
}

nav {
  position: sticky;
  top: 0.7rem;
  max-height: calc(100vh - 5rem);
  overflow-y: auto;
  padding: 0.9rem 1rem 1.2rem;
}

nav h2 {
  margin: 1.1rem 0 0.3rem;
}

nav a {
  display: flex;
  align-items: baseline;
  padding: 0.14rem 0.5rem;
  border-radius: 4px;
  color: inherit;
  text-decoration: none;
  overflow-wrap: anywhere;
}

nav a .method {
  flex: none;
}

nav a:hover {
  background: var(--ground);
}

nav a.here {
  background: var(--route-soft);
}
</style>
