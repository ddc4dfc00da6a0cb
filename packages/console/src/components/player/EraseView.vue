<script setup lang="ts">
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { useRouter } from 'vue-router';
import { useSignedIn } from '../../signed-in.js';
import ProblemNotice from '../ProblemNotice.vue';

/** The one thing without a way back: the id is typed in. */
const { player } = defineProps<{ player: string }>();
const { calls } = useSignedIn();
const router = useRouter();
const isAsked = ref(false);
const typed = ref('');
const problem = ref<unknown>();

async function erase(): Promise<void> {
  try {
    await calls.value.erase(player);
    await router.push('/players');
  } catch (error) {
    problem.value = error;
  }
}
</script>

<template>
  <Button v-if="!isAsked" size="small" severity="danger" text label="Erase …" @click="isAsked = true" />
  <form
    v-else
    class="sheet erase"
    role="alertdialog"
    aria-label="Erase the player"
    @submit.prevent="typed === player && erase()"
  >
    <p>
      Everything of this player is gone for good, everywhere: records, history, ledger, checkpoints, trash, devices and
      standings. Export it first if somebody may want it. Type <b class="numerals">{{ player }}</b> to erase it.
    </p>
    <ProblemNotice v-if="problem" :problem="problem" @again="problem = undefined" />
    <div class="row">
      <InputText v-model="typed" size="small" autofocus aria-label="The player's id" />
      <Button type="submit" size="small" severity="danger" label="Erase for good" :disabled="typed !== player" />
      <Button size="small" severity="secondary" text label="Leave it" @click="((isAsked = false), (typed = ''))" />
    </div>
  </form>
</template>

<style scoped>
.erase {
  margin-top: 1.4rem;
  padding: 1rem 1.4rem;
  border-left: 4px solid var(--route);
}

.erase p {
  margin: 0 0 0.7rem;
}

.row {
  display: flex;
  gap: 0.7rem;
}
</style>
