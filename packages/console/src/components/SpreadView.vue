<script setup lang="ts">
import { shownResult } from '@vekkon/core';
import type { SpreadResponse } from '@vekkon/protocol';
import { computed, ref, watch } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { numberInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';

/** How results are spread, so that the odd one shows. */
const { board, season } = defineProps<{ board: string; season: number | undefined }>();
const { calls } = useSignedIn();
const spread = ref<SpreadResponse>();
const problem = ref<unknown>();
const most = computed(() => Math.max(1, ...(spread.value?.bins.map(({ count }) => count) ?? [])));
const inWords = (value: number | null) => shownResult(value ?? 0, spread.value?.unit ?? undefined);

async function load(): Promise<void> {
  try {
    spread.value = await calls.value.boards.spread(board, { season });
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

watch(() => [board, season], load);
refreshing(load, { topics: ['boards'] });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <div v-if="spread?.count === 0" class="sheet none">
    <h2>No results yet</h2>
    <p>There is nothing to be spread in this season.</p>
  </div>
  <figure v-else-if="spread" class="sheet">
    <figcaption>
      {{ numberInWords(spread.count) }} {{ spread.count === 1 ? 'result' : 'results' }} from
      {{ inWords(spread.lowest) }} to {{ inWords(spread.highest) }}; half of them are up to
      {{ inWords(spread.median) }}.
      <b v-if="spread.below > 0">{{ numberInWords(spread.below) }} lie far below all others.</b>
      <b v-if="spread.above > 0">{{ numberInWords(spread.above) }} lie far above all others.</b>
    </figcaption>
    <table>
      <thead class="small-caps">
        <tr>
          <th scope="col">Results</th>
          <th scope="col">How many</th>
          <td></td>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in spread.bins" :key="one.from">
          <th scope="row" class="numerals">{{ inWords(one.from) }} – {{ inWords(one.until) }}</th>
          <td class="numerals">{{ numberInWords(one.count) }}</td>
          <td class="bar"><span :style="{ width: `${(one.count / most) * 100}%` }" /></td>
        </tr>
      </tbody>
    </table>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  padding: 1.1rem 1.4rem;
}

table {
  width: 100%;
  margin-top: 0.8rem;
  border-collapse: collapse;
}

th {
  font-weight: 400;
  text-align: left;
  white-space: nowrap;
}

td,
th {
  padding: 0.12rem 1.2rem 0.12rem 0;
}

.bar {
  width: 60%;
  padding-right: 0;
}

.bar span {
  display: block;
  height: 0.9rem;
  background: var(--p-primary-color);
  border-radius: 0 2px 2px 0;
}
</style>
