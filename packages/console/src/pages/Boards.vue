<script setup lang="ts">
import type { Board } from '@vekkon/protocol';
import Select from 'primevue/select';
import Skeleton from 'primevue/skeleton';
import Tab from 'primevue/tab';
import TabList from 'primevue/tablist';
import TabPanel from 'primevue/tabpanel';
import TabPanels from 'primevue/tabpanels';
import Tabs from 'primevue/tabs';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import DoubtfulView from '../components/DoubtfulView.vue';
import PlacesView from '../components/PlacesView.vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import SeasonsView from '../components/SeasonsView.vue';
import SpreadView from '../components/SpreadView.vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { timeInWords } from '../words.js';

const { calls } = useSignedIn();
const route = useRoute();
const router = useRouter();
const boards = ref<readonly Board[]>();
const doubtful = ref(0);
const problem = ref<unknown>();
const tab = ref('standings');
/** Every board by name, the members of families one by one. */
const choices = computed(() =>
  (boards.value ?? []).flatMap((board) =>
    (board.family ? board.members : [board.board]).map((name) => ({ name, label: name.replace('/', ' · '), board })),
  ),
);
const name = ref(String(route.query['board'] ?? ''));
const season = ref(Number(route.query['season']) || undefined);
const chosen = computed(() => choices.value.find((one) => one.name === name.value));

async function load(): Promise<void> {
  try {
    boards.value = await calls.value.boards.list();
    doubtful.value = (await calls.value.boards.doubtful({ count: 1 })).total;
    if (chosen.value === undefined) name.value = choices.value[0]?.name ?? '';
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

function look(at: number): void {
  season.value = at === chosen.value?.board.season?.season ? undefined : at;
  tab.value = 'standings';
}

watch(name, (_, before) => {
  if (before !== '') season.value = undefined;
});
watch([name, season], () => {
  void router.replace({ query: { board: name.value, ...(season.value !== undefined && { season: season.value }) } });
});
refreshing(load, { topics: ['boards'] });

function ruleInWords({ better, counts, seasons }: Board): string {
  const what = { best: 'the best counts', newest: 'the newest counts', sum: 'all are added up' }[counts];
  const when = seasons === 'none' ? 'it never starts anew' : `it starts anew ${seasons}`;
  return `${better === 'higher' ? 'Higher' : 'Lower'} is better, ${what}, ${when}`;
}
</script>

<template>
  <div class="head">
    <div>
      <h1>Boards</h1>
      <p v-if="chosen" class="muted">
        {{ ruleInWords(chosen.board)
        }}<template v-if="chosen.board.season?.turnsAt">
          · turns {{ timeInWords(chosen.board.season.turnsAt) }}</template
        >
      </p>
    </div>
    <div class="choose">
      <Select
        v-if="choices.length > 0"
        v-model="name"
        :options="choices"
        option-label="label"
        option-value="name"
        :filter="choices.length > 8"
        aria-label="Board"
      />
      <span v-if="season !== undefined" class="past">
        season {{ season }} <button type="button" @click="season = undefined">back to the open one</button>
      </span>
    </div>
  </div>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <Skeleton v-if="boards === undefined && !problem" height="22rem" />
  <div v-else-if="boards && choices.length === 0 && doubtful === 0" class="sheet none">
    <h2>No board yet</h2>
    <p>
      {{
        boards.length === 0
          ? 'Declare one under “boards” in the manifest: a game’s results stand on it as soon as they are saved.'
          : 'The boards of a family appear with their first results.'
      }}
    </p>
  </div>
  <Tabs v-else-if="boards" v-model:value="tab" lazy>
    <TabList>
      <Tab value="standings">Standings</Tab>
      <Tab value="seasons">Seasons</Tab>
      <Tab value="spread">Spread</Tab>
      <Tab value="doubtful"
        >Doubtful <span v-if="doubtful > 0" class="count">{{ doubtful }}</span></Tab
      >
    </TabList>
    <TabPanels>
      <TabPanel value="standings">
        <PlacesView v-if="chosen" :name="name" :board="chosen.board" :season="season" />
      </TabPanel>
      <TabPanel value="seasons"><SeasonsView v-if="chosen" :board="name" @look="look" /></TabPanel>
      <TabPanel value="spread"><SpreadView v-if="chosen" :board="name" :season="season" /></TabPanel>
      <TabPanel value="doubtful"><DoubtfulView /></TabPanel>
    </TabPanels>
  </Tabs>
</template>

<style scoped>
.head {
  display: flex;
  align-items: end;
  gap: 1rem;
  margin-bottom: 1rem;
}

.head p {
  margin: 0.2rem 0 0;
}

.choose {
  display: flex;
  flex-direction: column;
  gap: 0.3rem;
  align-items: end;
  margin-left: auto;
}

.past button {
  padding: 0;
  color: var(--p-primary-color);
  background: none;
  border: 0;
  font-size: inherit;
  text-decoration: underline;
  cursor: pointer;
}
</style>
