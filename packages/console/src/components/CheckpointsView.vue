<script setup lang="ts">
import type { CheckpointDifference, CopyList } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';

/** Copies of what a player had, made by the game or when the player was made new. */
const { player, mayMend = false } = defineProps<{ player: string; mayMend?: boolean }>();

const { calls } = useSignedIn();
const checkpoints = ref<CopyList['checkpoints']>();
const problem = ref<unknown>();
const asked = ref<number>();
/** What restoring the one that is asked about would change. */
const difference = ref<CheckpointDifference['differences']>([]);
const name = ref('');
const said = ref('');

async function load(): Promise<void> {
  try {
    checkpoints.value = (await calls.value.checkpoints(player)).checkpoints;
  } catch (error) {
    problem.value = error;
  }
}

async function ask(number: number): Promise<void> {
  try {
    difference.value = (await calls.value.checkpointDifference(player, number)).differences;
    asked.value = number;
  } catch (error) {
    problem.value = error;
  }
}

async function make(): Promise<void> {
  try {
    await calls.value.makeCheckpoint(player, name.value.trim());
    said.value = `“${name.value.trim()}” is made.`;
    name.value = '';
  } catch (error) {
    problem.value = error;
  }
  await load();
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
  <form v-if="mayMend" class="make" @submit.prevent="name.trim() !== '' && make()">
    <InputText
      v-model="name"
      size="small"
      maxlength="100"
      placeholder="before the repair"
      aria-label="Name of a new checkpoint"
    />
    <Button
      type="submit"
      size="small"
      severity="secondary"
      outlined
      label="Make a checkpoint"
      :disabled="name.trim() === ''"
    />
  </form>
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
        <ul v-if="difference.length > 0" class="difference">
          <li v-for="record in difference" :key="record.key">
            <b>{{ record.key }}</b> {{ record.words.join('; ') }}
          </li>
        </ul>
        <span v-else>Everything is as it holds it.</span>
        <span>What is there now goes to the trash; what came from outside since is kept.</span>
        <Button size="small" label="Restore it" autofocus @click="restore(one.number)" />
        <Button size="small" label="Leave it" severity="secondary" text @click="asked = undefined" />
      </div>
      <div v-else class="ask">
        <Button size="small" label="Restore" outlined @click="ask(one.number)" />
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

.make {
  display: flex;
  gap: 0.7rem;
  margin-bottom: 0.9rem;
}

.difference {
  flex: 1 1 100%;
  margin: 0;
  padding-left: 1.2rem;
}

.holds {
  overflow-wrap: anywhere;
}
</style>
