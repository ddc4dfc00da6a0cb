<script setup lang="ts">
import type { PlayerStandings } from '@vekkon/protocol';
import Button from 'primevue/button';
import Column from 'primevue/column';
import DataTable from 'primevue/datatable';
import { ref } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { numberInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';
import ReasonAsk from './ReasonAsk.vue';

/** Where one player stands, and what was taken off, with the way back. */
const { player } = defineProps<{ player: string }>();
const { calls } = useSignedIn();
const found = ref<PlayerStandings>();
const problem = ref<unknown>();
const asked = ref<PlayerStandings['aside'][number]>();

async function load(): Promise<void> {
  try {
    found.value = await calls.value.boards.ofPlayer(player);
  } catch (error) {
    problem.value = error;
  }
}

async function bringBack(reason: string): Promise<void> {
  if (asked.value === undefined) return;
  const { board, why } = asked.value;
  asked.value = undefined;
  try {
    await calls.value.boards[why === 'barred' ? 'readmit' : 'putBack'](board, player, reason);
  } catch (error) {
    problem.value = error;
  }
  await load();
}

refreshing(load, { topics: ['boards'] });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <div v-if="found?.standings.length === 0" class="sheet none">
    <h2>On no board yet</h2>
    <p>A result that counts stands here as soon as its save is answered.</p>
  </div>
  <div v-else-if="found" class="sheet table">
    <DataTable :value="[...found.standings]" size="small">
      <Column header="Board">
        <template #body="{ data }">
          <RouterLink :to="{ name: 'boards', query: { board: data.board, season: data.season } }">{{
            data.board
          }}</RouterLink>
        </template>
      </Column>
      <Column header="Season"
        ><template #body="{ data }">{{ data.season }}{{ data.isOpen ? '' : ', closed' }}</template></Column
      >
      <Column header="Rank"
        ><template #body="{ data }">{{
          data.rank === null ? 'not known yet' : `${numberInWords(data.rank)} of ${numberInWords(data.of)}`
        }}</template></Column
      >
      <Column field="shown" header="Result" />
      <Column header="Reached"
        ><template #body="{ data }">{{ timeInWords(data.reached) }}</template></Column
      >
    </DataTable>
  </div>
  <ul v-if="found && found.aside.length > 0" class="sheets aside">
    <li v-for="one in found.aside" :key="`${one.board} ${one.why} ${one.season}`" class="sheet">
      <div class="facts">
        <h3>{{ one.why === 'barred' ? `Kept off ${one.board}` : `Taken off ${one.board}, season ${one.season}` }}</h3>
        <span class="muted">{{ timeInWords(one.at) }} by {{ one.by }}</span>
      </div>
      <p>{{ one.reason }}</p>
      <ReasonAsk
        v-if="asked === one"
        :what="one.why === 'barred' ? 'They may stand on it again.' : 'It will stand again.'"
        :label="one.why === 'barred' ? 'Readmit' : 'Put back'"
        @done="bringBack"
        @left="asked = undefined"
      />
      <div v-else class="ask">
        <Button size="small" :label="one.why === 'barred' ? 'Readmit' : 'Put back'" outlined @click="asked = one" />
      </div>
    </li>
  </ul>
</template>

<style scoped>
.table {
  overflow: hidden;
}

.aside {
  margin-top: 1rem;
}

li p {
  margin: 0.2rem 0 0;
}
</style>
