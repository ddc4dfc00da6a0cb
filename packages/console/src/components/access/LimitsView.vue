<script setup lang="ts">
import type { LimitName, LimitsResponse } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import { computed, ref, watch } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import { agoInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';

/** How much one caller may ask for, and who has asked for more. */
const { calls, environment, operator } = useSignedIn();
const told = ref<LimitsResponse>();
const problem = ref<unknown>();
const said = ref('');
/** As they are being edited; null is as usual. */
const own = ref<{ [name in LimitName]?: number | null }>();
const wordsOf = computed(() => new Map(told.value?.limits.map(({ name, words }) => [name, words])));

async function trying(work: () => Promise<LimitsResponse>): Promise<void> {
  problem.value = undefined;
  said.value = '';
  try {
    told.value = await work();
  } catch (error) {
    problem.value = error;
  }
}

const load = () => trying(() => calls.value.limits.read());

function edit(): void {
  own.value = Object.fromEntries(told.value?.limits.map(({ name, own: number }) => [name, number]) ?? []);
}

async function keep(): Promise<void> {
  const set = Object.entries(own.value ?? {}).filter(
    (pair): pair is [LimitName, number] => typeof pair[1] === 'number',
  );
  await trying(() => calls.value.limits.set(Object.fromEntries(set)));
  if (problem.value !== undefined) return;
  own.value = undefined;
  said.value = 'The limits are set: they hold from the next call on.';
}

const inFigures = (number: number) => (number === 0 ? 'no bound' : number.toLocaleString('en'));

watch(calls, load, { immediate: true });
</script>

<template>
  <section aria-labelledby="limits-title">
    <div class="head">
      <h2 id="limits-title">Limits of {{ environment?.title }} · {{ environment?.environment }}</h2>
      <Button v-if="!own && operator?.role === 'admin'" label="Set …" size="small" @click="edit" />
    </div>
    <ProblemNotice v-if="problem" :problem="problem" @again="load" />
    <p v-if="said" role="status">{{ said }}</p>
    <h3>Who asked for more</h3>
    <p v-if="told?.ranInto.length === 0" class="muted">Nobody has since the service was started.</p>
    <table v-else-if="told" class="sheet">
      <thead>
        <tr>
          <th scope="col">Who</th>
          <th scope="col">Which limit</th>
          <th scope="col">Times</th>
          <th scope="col">Last</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in told.ranInto" :key="`${one.limit} ${one.who}`">
          <td>
            <code>{{ one.who }}</code>
          </td>
          <td>{{ wordsOf.get(one.limit) }}</td>
          <td>{{ one.times }}</td>
          <td>{{ agoInWords(one.at) }}</td>
        </tr>
      </tbody>
    </table>
    <details :open="own !== undefined">
      <summary>How much one caller may ask for</summary>
      <form @submit.prevent="keep">
        <table class="sheet">
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">Usual</th>
              <th scope="col">Here</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in told?.limits" :key="one.name">
              <td>{{ one.words }}</td>
              <td>{{ inFigures(one.usual) }}</td>
              <td v-if="own">
                <InputNumber
                  v-model="own[one.name]"
                  size="small"
                  :min="0"
                  :max="1_000_000_000"
                  placeholder="as usual"
                  :aria-label="one.words"
                />
              </td>
              <td v-else>
                <b v-if="one.own !== null">{{ inFigures(one.own) }}</b>
                <span v-else class="muted">as usual</span>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="own" class="buttons">
          <Button type="submit" label="Set them" size="small" />
          <Button label="Leave it" severity="secondary" text size="small" @click="own = undefined" />
          <span class="muted">Empty is as usual, 0 is no bound.</span>
        </p>
      </form>
    </details>
  </section>
</template>

<style scoped>
h3 {
  margin: 0 0 0.4rem;
  font-size: 1rem;
}

details {
  margin-top: 0.8rem;
}

summary {
  margin-bottom: 0.5rem;
  cursor: pointer;
}

.buttons {
  display: flex;
  gap: 0.6rem;
  align-items: center;
}
</style>
