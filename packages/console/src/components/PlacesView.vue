<script setup lang="ts">
import type { Board, Placed, Stretch } from '@vekkon/protocol';
import Button from 'primevue/button';
import Column from 'primevue/column';
import DataTable from 'primevue/datatable';
import InputText from 'primevue/inputtext';
import { computed, ref, watch } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { numberInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';
import ReasonAsk from './ReasonAsk.vue';

/** The standings of one season: from the top, or around one player. */
const { board, name, season } = defineProps<{ board: Board; name: string; season: number | undefined }>();
const perPage = 25;
const { calls } = useSignedIn();
const stretch = ref<Stretch>();
const start = ref(1);
const typed = ref('');
/** Around whom it is shown; nobody: from the top. */
const around = ref('');
const problem = ref<unknown>();
const said = ref('');
const asked = ref<{ readonly what: 'takeOff' | 'bar'; readonly placed: Placed }>();
const isOpen = computed(() => season === undefined || season === board.season?.season);
let newestAsk = 0;

async function load(): Promise<void> {
  const ask = ++newestAsk;
  try {
    const found =
      around.value === ''
        ? await calls.value.boards.stretch(name, { season, start: start.value, count: perPage })
        : await calls.value.boards.around(name, around.value, { season, span: 8 });
    if (ask !== newestAsk) return;
    stretch.value = found;
    problem.value = undefined;
  } catch (error) {
    if (ask === newestAsk) problem.value = error;
  }
}

/** By id, or by a part of the name: the first that is found. */
async function find(): Promise<void> {
  said.value = '';
  const text = typed.value.trim();
  if (text === '') return fromTop();
  const { players } = await calls.value.players({ search: text, count: 1 });
  const id = players[0]?.id;
  if (id === undefined) {
    said.value = `Nobody matches “${text}”.`;
    return;
  }
  around.value = id;
  await load();
}

function fromTop(rank = 1): void {
  around.value = '';
  start.value = rank;
  problem.value = undefined;
  void load();
}

async function act(reason: string): Promise<void> {
  if (asked.value === undefined) return;
  const { what, placed } = asked.value;
  try {
    await calls.value.boards[what](name, placed.player, reason);
    said.value = `${placed.name ?? placed.player} is ${what === 'bar' ? 'kept off the board' : 'off this season'}; the way back is on their page.`;
  } catch (error) {
    problem.value = error;
  }
  asked.value = undefined;
  await load();
}

watch(
  () => [name, season],
  () => fromTop(),
);
refreshing(load, { topics: ['boards'] });
</script>

<template>
  <div class="tools">
    <form class="find" @submit.prevent="find">
      <InputText v-model="typed" type="search" placeholder="Find a player" aria-label="Find a player" size="small" />
      <Button type="submit" label="Find" size="small" severity="secondary" outlined />
    </form>
    <Button v-if="around !== ''" label="Back to the top" size="small" text @click="((typed = ''), fromTop())" />
    <p class="muted" role="status">
      {{
        said ||
        (stretch === undefined || stretch.of === 0
          ? ''
          : `${numberInWords(stretch.of)} ${stretch.of === 1 ? 'standing' : 'standings'} in season ${stretch.season}`)
      }}
    </p>
  </div>
  <ProblemNotice v-if="problem" :problem="problem" @again="fromTop()" />
  <div v-if="stretch?.of === 0" class="sheet none">
    <h2>No results yet</h2>
    <p>A result that a game submits stands here as soon as its save is answered.</p>
  </div>
  <div v-else-if="stretch" class="sheet">
    <DataTable
      :value="[...stretch.standings]"
      data-key="player"
      size="small"
      :row-class="(placed: Placed) => (placed.player === around ? 'marked' : '')"
    >
      <Column header="Rank"
        ><template #body="{ data }"
          ><b class="numerals">{{ numberInWords(data.rank) }}</b></template
        ></Column
      >
      <Column header="Player">
        <template #body="{ data }">
          <RouterLink class="name" :to="{ name: 'player', params: { id: data.player } }">{{
            data.name ?? data.player
          }}</RouterLink>
        </template>
      </Column>
      <Column header="Id"
        ><template #body="{ data }"
          ><span class="muted numerals">{{ data.player }}</span></template
        ></Column
      >
      <Column header="Result"
        ><template #body="{ data }"
          ><span class="numerals">{{ data.shown }}</span></template
        ></Column
      >
      <Column header="Reached"
        ><template #body="{ data }">{{ timeInWords(data.reached) }}</template></Column
      >
      <Column v-if="isOpen" header="">
        <template #body="{ data }">
          <span class="acts">
            <Button label="Around" size="small" text @click="((around = data.player), load())" />
            <Button
              label="Take off"
              size="small"
              text
              severity="secondary"
              @click="asked = { what: 'takeOff', placed: data }"
            />
            <Button label="Bar" size="small" text severity="secondary" @click="asked = { what: 'bar', placed: data }" />
          </span>
        </template>
      </Column>
    </DataTable>
  </div>
  <ReasonAsk
    v-if="asked"
    class="sheet reason"
    :what="
      asked.what === 'bar'
        ? `Keep ${asked.placed.name ?? asked.placed.player} off this board until readmitted?`
        : `Take ${asked.placed.shown} of ${asked.placed.name ?? asked.placed.player} off?`
    "
    :label="asked.what === 'bar' ? 'Keep off' : 'Take off'"
    @done="act"
    @left="asked = undefined"
  />
  <div v-if="stretch && around === '' && stretch.of > perPage" class="pages">
    <Button
      label="Up"
      icon="pi pi-arrow-up"
      size="small"
      text
      :disabled="start === 1"
      @click="fromTop(Math.max(1, start - perPage))"
    />
    <Button
      label="Down"
      icon="pi pi-arrow-down"
      size="small"
      text
      :disabled="start + perPage > stretch.of"
      @click="fromTop(start + perPage)"
    />
    <Button label="Last place" size="small" text @click="fromTop(Math.max(1, stretch.of - perPage + 1))" />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 0.8rem;
  align-items: center;
  margin-bottom: 0.8rem;
}

.tools p {
  margin: 0 0 0 auto;
}

.find {
  display: flex;
  gap: 0.4rem;
}

.sheet {
  overflow: hidden;
}

.name {
  overflow-wrap: anywhere;
}

.acts {
  display: flex;
  justify-content: flex-end;
}

.reason {
  margin-top: 0.8rem;
  padding: 0.8rem 1.2rem;
}

.pages {
  display: flex;
  gap: 0.4rem;
  margin-top: 0.6rem;
}

:deep(tr.marked) {
  background: color-mix(in srgb, var(--route) 14%, transparent);
}
</style>
