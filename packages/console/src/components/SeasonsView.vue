<script setup lang="ts">
import type { ClosedSeason, Season } from '@vekkon/protocol';
import Button from 'primevue/button';
import { ref, watch } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { numberInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';
import ReasonAsk from './ReasonAsk.vue';

/** A board's seasons with what they give; the open one can be closed by hand. */
const { board } = defineProps<{ board: string }>();
const emit = defineEmits<{ look: [season: number] }>();
const { calls } = useSignedIn();
const seasons = ref<readonly Season[]>();
const next = ref<number | null>(null);
const shown = ref(20);
const problem = ref<unknown>();
const would = ref<ClosedSeason>();

async function load(): Promise<void> {
  try {
    const list = await calls.value.boards.seasons(board, { count: shown.value });
    seasons.value = list.seasons;
    next.value = list.next;
  } catch (error) {
    problem.value = error;
  }
}

async function ask(): Promise<void> {
  try {
    would.value = await calls.value.boards.wouldClose(board);
  } catch (error) {
    problem.value = error;
  }
}

async function close(reason: string): Promise<void> {
  would.value = undefined;
  try {
    await calls.value.boards.close(board, reason);
  } catch (error) {
    problem.value = error;
  }
  await load();
}

function stateInWords({ state, isDone, ranked, of }: Season): string {
  if (state === 'open') return 'open';
  if (state === 'turned') return 'turned, still takes what was made before';
  return isDone ? 'closed' : `closing: ${numberInWords(ranked)} of ${numberInWords(of)} places gone through`;
}

function placesInWords({ ranks, share }: Season['rewards'][number]): string {
  if (ranks === undefined) return `the first ${share}%`;
  const [from, until] = ranks;
  return from === until ? `rank ${from}` : `ranks ${from} to ${until}`;
}

watch(() => board, load);
refreshing(load, { topics: ['boards'] });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <div v-if="seasons?.length === 0" class="sheet none">
    <h2>No season yet</h2>
    <p>The first begins with the first result, or when a manifest that declares the board is installed.</p>
  </div>
  <ul v-else-if="seasons" class="sheets">
    <li v-for="one in seasons" :key="one.season" class="sheet">
      <div class="facts">
        <h3>Season {{ one.season }}</h3>
        <span>{{ stateInWords(one) }}</span>
        <span class="muted">
          {{ timeInWords(one.openedAt) }} – {{ one.turnsAt === null ? 'never turns' : timeInWords(one.turnsAt) }}
        </span>
      </div>
      <p>
        {{ one.of === 0 ? 'No results.' : `${numberInWords(one.of)} ${one.of === 1 ? 'standing' : 'standings'}.` }}
        <template v-if="one.state === 'closed' && one.rewards.length > 0">
          {{ numberInWords(one.given) }} {{ one.given === 1 ? 'player was' : 'players were' }} given something.
        </template>
        <template v-if="one.closedBy"> Closed by {{ one.closedBy }}: {{ one.reason }}</template>
      </p>
      <p v-if="one.rewards.length > 0" class="muted">
        <template v-for="(reward, index) in one.rewards" :key="index">
          {{ index > 0 ? ' · ' : '' }}{{ placesInWords(reward) }}: {{ reward.shown }}
        </template>
      </p>
      <div v-if="would && one.season === would.season" class="would">
        <p>
          Closing it now gives, to {{ numberInWords(would.of) }} standings:
          {{ would.rewards.length === 0 ? 'nothing' : '' }}
        </p>
        <ul>
          <li v-for="reward in would.rewards" :key="reward.line">
            <b>{{ reward.shown }}</b> to {{ numberInWords(reward.players) }}
            {{ reward.players === 1 ? 'player' : 'players'
            }}<template v-if="reward.first.length > 0"
              >: {{ reward.first.map((placed) => `${placed.rank}. ${placed.name ?? placed.player}`).join(', ')
              }}{{ reward.players > reward.first.length ? ', …' : '' }}</template
            >
          </li>
        </ul>
        <ReasonAsk
          what="Nothing of it is taken back."
          label="Close the season"
          @done="close"
          @left="would = undefined"
        />
      </div>
      <div v-else class="ask">
        <Button size="small" label="Look at it" outlined @click="emit('look', one.season)" />
        <Button v-if="one.state === 'open'" size="small" label="Close now …" severity="secondary" text @click="ask" />
      </div>
    </li>
  </ul>
  <Button
    v-if="next !== null"
    label="Earlier seasons"
    size="small"
    text
    @click="((shown = Math.min(200, shown + 20)), load())"
  />
</template>

<style scoped>
li p {
  margin: 0.2rem 0 0;
}

.would ul {
  margin: 0.2rem 0 0.7rem;
  padding-left: 1.2rem;
}
</style>
