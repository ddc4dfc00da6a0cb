<script setup lang="ts">
import type { TermsInHours, TermsResponse } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import { computed, ref, watch } from 'vue';
import { useSignedIn } from '../signed-in.js';
import { bytesInWords, numberInWords, timeInWords } from '../words.js';
import ProblemNotice from './ProblemNotice.vue';

/** How long what was is kept, how much it takes, and what went. */
const { calls, operator } = useSignedIn();
const told = ref<TermsResponse>();
const shown = ref<{ [term: string]: number | null }>();
const problem = ref<unknown>();
const isAsked = ref(false);

const terms = [
  { name: 'revisions', label: 'Every revision of a record', unit: 'hours', hours: 1 },
  {
    name: 'ofSessions',
    label: 'Then the last that each session made, and whatever people did',
    unit: 'days',
    hours: 24,
  },
  { name: 'ofDays', label: 'Then the last of each day', unit: 'days', hours: 24 },
  { name: 'ledger', label: 'Every line of the ledger; older ones are summed, one a day', unit: 'days', hours: 24 },
] as const;
const names: { readonly [what: string]: string } = { history: 'revisions', ledger: 'lines of the ledger' };

type Term = (typeof terms)[number];
/** A term in its own unit. */
const inUnit = ({ name, hours }: Term, answer: TermsResponse) => Math.round((answer.terms[name] / hours) * 100) / 100;
const mayEdit = computed(() => operator.value?.role === 'admin');
const isOther = computed(() =>
  terms.some((term) => told.value !== undefined && shown.value?.[term.name] !== inUnit(term, told.value)),
);

function take(answer: TermsResponse): void {
  told.value = answer;
  shown.value = Object.fromEntries(terms.map((term) => [term.name, inUnit(term, answer)]));
}

async function trying(call: () => Promise<TermsResponse>): Promise<void> {
  problem.value = undefined;
  try {
    take(await call());
    isAsked.value = false;
  } catch (error) {
    problem.value = error;
  }
}

async function keep(): Promise<void> {
  const wanted = shown.value;
  if (wanted === undefined) return;
  const inHours = Object.fromEntries(terms.map(({ name, hours }) => [name, (wanted[name] ?? 0) * hours]));
  await trying(() => calls.value.setTerms(inHours as TermsInHours));
}

watch(calls, () => void trying(() => calls.value.terms()), { immediate: true });
</script>

<template>
  <section class="sheet kept" aria-labelledby="kept-title">
    <h2 id="kept-title">What is kept</h2>
    <ProblemNotice v-if="problem" :problem="problem" @again="trying(() => calls.terms())" />
    <form v-if="told && shown" @submit.prevent="isAsked = true">
      <table>
        <tbody>
          <tr v-for="{ name, label, unit } in terms" :key="name">
            <th scope="row">
              <label :for="`kept-${name}`">{{ label }}</label>
            </th>
            <td class="numerals">
              <InputNumber
                v-if="mayEdit"
                v-model="shown[name]"
                :input-id="`kept-${name}`"
                :min="0"
                :max-fraction-digits="2"
                :suffix="` ${unit}`"
                size="small"
              />
              <template v-else>{{ numberInWords(shown[name] ?? 0) }} {{ unit }}</template>
            </td>
          </tr>
        </tbody>
      </table>
      <div v-if="isAsked" class="ask" role="alertdialog" aria-label="Keep it so long?">
        <span>What is older goes within a day, and can’t be brought back. Keep it so long?</span>
        <Button label="Keep it so long" size="small" @click="keep" />
        <Button label="Leave it as it was" size="small" severity="secondary" text @click="isAsked = false" />
      </div>
      <Button v-else-if="mayEdit && isOther" type="submit" label="Set…" size="small" />
    </form>
    <p v-if="told" class="muted">
      The database takes {{ bytesInWords(told.bytes) }}, with all its environments.
      <template v-if="told.pruned.length === 0">Nothing has grown older than that here yet.</template>
      <template v-for="one in told.pruned" :key="one.what">
        {{ numberInWords(one.rows) }} {{ names[one.what] ?? one.what }} went, last {{ timeInWords(one.at) }}.
      </template>
    </p>
  </section>
</template>

<style scoped>
.kept {
  margin-top: 1.4rem;
  padding: 1rem 1.4rem;
}

h2 {
  margin: 0 0 0.5rem;
}

table {
  border-collapse: collapse;
  margin-bottom: 0.6rem;
}

th,
td {
  padding: 0.25rem 1.4rem 0.25rem 0;
  text-align: left;
  font-weight: 400;
}

.ask {
  display: flex;
  gap: 0.7rem;
  align-items: center;
}
</style>
