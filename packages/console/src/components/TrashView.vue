<script setup lang="ts">
import type { InventoryValue } from '@vekkon/core';
import type { TrashList } from '@vekkon/protocol';
import Button from 'primevue/button';
import { ref } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { hostInWords, timeInWords } from '../words.js';
import InventoryView from './InventoryView.vue';
import ProblemNotice from './ProblemNotice.vue';
import ValueView from './ValueView.vue';

/** What was removed from a player, and can be brought back until its time is up. */
const { player } = defineProps<{ player: string }>();

const { calls } = useSignedIn();
const trash = ref<TrashList['trash']>();
const problem = ref<unknown>();
const asked = ref<number>();
const why = {
  remove: 'removed',
  reset: 'reset',
  'start-over': 'started over',
  'made-new': 'made new',
  'brought-back': 'replaced from the trash',
  restore: 'replaced from a checkpoint',
};

async function load(): Promise<void> {
  try {
    trash.value = (await calls.value.trash(player)).trash;
  } catch (error) {
    problem.value = error;
  }
}

async function bringBack(number: number): Promise<void> {
  asked.value = undefined;
  problem.value = undefined;
  try {
    await calls.value.bringBack(player, number);
  } catch (error) {
    problem.value = error;
  }
  await load();
}

refreshing(load, { topics: [], player: player });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="((problem = undefined), load())" />
  <div v-if="trash?.length === 0" class="sheet none">
    <h2>Nothing is in the trash</h2>
    <p>What is removed, reset or started over waits here for 30 days, and can be brought back.</p>
  </div>
  <ul v-else-if="trash" class="sheets">
    <li v-for="one in trash" :key="one.number" class="sheet" :data-trash="one.key">
      <div class="facts">
        <h3>{{ one.key }}</h3>
        <span class="muted"
          >{{ why[one.why] }} {{ timeInWords(one.at) }} by {{ hostInWords(one.by ?? 'nobody known') }} · kept until
          {{ timeInWords(one.until) }}</span
        >
      </div>
      <InventoryView v-if="one.key.startsWith('inventory/')" :value="one.value as InventoryValue" />
      <ValueView v-else :value="one.value" />
      <div v-if="asked === one.number" class="ask" role="alertdialog" aria-label="Are you sure?">
        <span>What stands there now goes to the trash in its place.</span>
        <Button size="small" label="Bring it back" autofocus @click="bringBack(one.number)" />
        <Button size="small" label="Leave it" severity="secondary" text @click="asked = undefined" />
      </div>
      <div v-else class="ask">
        <Button size="small" label="Bring back" outlined @click="asked = one.number" />
      </div>
    </li>
  </ul>
</template>
