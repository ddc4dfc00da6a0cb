<script setup lang="ts">
import type { Disturbance } from '@vekkon/protocol';
import Button from 'primevue/button';
import { computed, ref } from 'vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { timeInWords } from '../words.js';

/** Says that faults are being made on purpose, so that nobody looks for their cause elsewhere. */
const { calls } = useSignedIn();
const disturbance = ref<Disturbance | null>(null);

const faults = computed(() => {
  if (disturbance.value === null) return '';
  const { refuse, delay, loseResponses } = disturbance.value;
  return [
    refuse > 0 && `${Math.round(refuse * 1000) / 10}% of calls refused`,
    delay !== null && `each held up ${delay.from} to ${delay.to} ms`,
    loseResponses > 0 && `${Math.round(loseResponses * 1000) / 10}% of responses lost`,
  ]
    .filter(Boolean)
    .join(', ');
});

async function load(): Promise<void> {
  // A banner that can't be loaded is no news: the page itself says what is wrong.
  const answer = await calls.value.disturbance().catch(() => undefined);
  if (answer !== undefined) disturbance.value = answer.disturbance;
}

async function stop(): Promise<void> {
  await calls.value.stopDisturbance().catch(() => undefined);
  await load();
}

refreshing(load);
</script>

<template>
  <div v-if="disturbance" class="banner" role="status">
    <i class="pi pi-bolt" aria-hidden="true" />
    <span>
      <strong>A disturbance runs here:</strong> {{ faults }}. Started by {{ disturbance.by }}, over at
      {{ timeInWords(disturbance.endsAt) }}. {{ disturbance.refused }} refused and {{ disturbance.lost }} lost so far.
    </span>
    <Button class="stop" label="Stop it" size="small" severity="secondary" @click="stop" />
  </div>
</template>

<style scoped>
.banner {
  display: flex;
  align-items: center;
  gap: 0.9rem;
  padding: 0.5rem 2rem;
  background: var(--route-soft);
  border-bottom: 1px solid var(--route);
}

.banner i {
  color: var(--route);
}

.banner span {
  margin-right: auto;
}

.stop {
  flex-shrink: 0;
}
</style>
