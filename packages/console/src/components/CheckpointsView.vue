<script setup lang="ts">
import type { CopyList } from '@vekkon/protocol';
import Button from 'primevue/button';
import { ref } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';

/** Copies of what a player had, made by the game or when the player was made new. */
const { player } = defineProps<{ player: string }>();

const { calls } = useSignedIn();
const checkpoints = ref<CopyList['checkpoints']>();
const problem = ref<unknown>();
const asked = ref<number>();
const said = ref('');

async function load(): Promise<void> {
  try {
    checkpoints.value = (await calls.value.checkpoints(player)).checkpoints;
  } catch (error) {
    problem.value = error;
  }
}

async function restore(number: number): Promise<void> {
  asked.value = undefined;
  problem.value = undefined;
  try {
    const { restored } = await calls.value.restoreCheckpoint(player, number);
    said.value = restored.length === 0 ? 'Everything was as it holds it.' : `Restored: ${restored.join(', ')}.`;
  } catch (error) {
    problem.value = error;
  }
  await load();
}

refreshing(load, { topics: [], player: player });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <p v-if="said" class="said" role="status">{{ said }}</p>
  <div v-if="checkpoints?.length === 0" class="sheet none">
    <h2>There are no checkpoints</h2>
    <p>What a game saves with “save here” stands here, and the copy that is made when a player is made new.</p>
  </div>
  <ul v-else-if="checkpoints" class="sheets">
    <li v-for="one in checkpoints" :key="one.number" class="sheet" :data-checkpoint="one.name">
      <div class="facts">
        <h3>{{ one.name }}</h3>
        <span class="muted">
          made {{ timeInWords(one.at) }} by {{ hostInWords(one.by ?? 'nobody known') }}
          <template v-if="one.keptUntil"> · given up, kept until {{ timeInWords(one.keptUntil) }}</template>
        </span>
      </div>
      <p v-if="one.summary">{{ one.summary }}</p>
      <p class="muted holds">{{ one.records.join(', ') }}</p>
      <div v-if="asked === one.number" class="ask" role="alertdialog" aria-label="Are you sure?">
        <span>What is there now goes to the trash; what came from outside since is kept.</span>
        <Button size="small" label="Restore it" autofocus @click="restore(one.number)" />
        <Button size="small" label="Leave it" severity="secondary" text @click="asked = undefined" />
      </div>
      <div v-else class="ask">
        <Button size="small" label="Restore" outlined @click="asked = one.number" />
      </div>
    </li>
  </ul>
</template>

<style scoped>
li p {
  margin: 0.2rem 0 0;
}

.said {
  margin: 0 0 0.8rem;
}

.holds {
  overflow-wrap: anywhere;
}
</style>
