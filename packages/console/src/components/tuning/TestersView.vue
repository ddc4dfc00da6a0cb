<script setup lang="ts">
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { refreshing } from '../../refreshing.js';
import { useSignedIn } from '../../signed-in.js';
import ProblemNotice from '../ProblemNotice.vue';

/** The players who get the draft before it is published. */
const { mayEdit } = defineProps<{ mayEdit: boolean }>();
const { calls } = useSignedIn();
const testers = ref<readonly string[]>([]);
const typed = ref('');
const said = ref('');
const problem = ref<unknown>();

async function load(): Promise<void> {
  try {
    testers.value = await calls.value.tuning.testers();
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

async function set(players: readonly string[]): Promise<void> {
  try {
    await calls.value.tuning.setTesters(players);
    await load();
  } catch (error) {
    problem.value = error;
  }
}

async function add(): Promise<void> {
  const text = typed.value.trim();
  if (text === '') return;
  const { players } = await calls.value.players({ search: text, count: 1 });
  const found = players[0]?.id;
  said.value = found === undefined ? `Nobody matches “${text}”.` : '';
  if (found === undefined) return;
  typed.value = '';
  await set([...new Set([...testers.value, found])]);
}

refreshing(load, { topics: ['tuning'] });
</script>

<template>
  <section class="sheet testers" aria-label="Testers">
    <h3>Testers</h3>
    <p class="muted">They get the draft at once; everybody else when it is published.</p>
    <ProblemNotice v-if="problem" :problem="problem" @again="load" />
    <ul>
      <li v-for="one in testers" :key="one">
        <RouterLink :to="{ name: 'player', params: { id: one } }">{{ one }}</RouterLink>
        <Button
          v-if="mayEdit"
          icon="pi pi-times"
          size="small"
          text
          severity="secondary"
          :aria-label="`${one} is no tester any more`"
          @click="set(testers.filter((other) => other !== one))"
        />
      </li>
      <li v-if="testers.length === 0" class="muted">Nobody.</li>
    </ul>
    <form v-if="mayEdit" @submit.prevent="add">
      <InputText v-model="typed" size="small" placeholder="A player" aria-label="A player to be a tester" />
      <Button type="submit" label="Add" size="small" severity="secondary" outlined />
    </form>
    <p role="status" class="muted">{{ said }}</p>
  </section>
</template>

<style scoped>
.testers {
  padding: 0.9rem 1.1rem;
}

ul {
  margin: 0.4rem 0;
  padding: 0;
  list-style: none;
}

form {
  display: flex;
  gap: 0.4rem;
}

form input {
  width: 8rem;
}

p {
  margin: 0.2rem 0;
  font-size: 0.94rem;
}
</style>
