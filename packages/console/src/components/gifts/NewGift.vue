<script setup lang="ts">
import type { GiftForeseen } from '@vekkon/client/operator';
import type { Change, Manifest } from '@vekkon/core';
import type { GiftAudience, GiftLookRequest } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import InputText from 'primevue/inputtext';
import ProgressBar from 'primevue/progressbar';
import Select from 'primevue/select';
import Textarea from 'primevue/textarea';
import { computed, ref, watch } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import { numberInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';

/** The same for many: said, looked at, and then given. */
const { manifest } = defineProps<{ manifest: Manifest }>();
const emit = defineEmits<{ given: [number: number]; left: [] }>();
const { calls } = useSignedIn();

const ways = [
  { label: 'Credit a currency', value: 'credit' },
  { label: 'Debit a currency', value: 'debit' },
  { label: 'Add items', value: 'gain' },
  { label: 'Take items', value: 'lose' },
  { label: 'Other changes, as JSON', value: 'json' },
  { label: 'What they had at a moment', value: 'as-of' },
] as const;
const audiences = [
  { label: 'everybody', value: 'everybody' },
  { label: 'those who are in a session now', value: 'in-session' },
  { label: 'those who joined within a day', value: 'lately' },
  { label: 'those whose id or name holds a text', value: 'search' },
  { label: 'those whose ids I name', value: 'named' },
] as const;

const label = ref('');
const way = ref<(typeof ways)[number]['value']>('credit');
const audience = ref<(typeof audiences)[number]['value']>('everybody');
const search = ref('');
const ids = ref('');
const currency = ref<string>();
const amount = ref(100);
const inventory = ref<string>();
const item = ref<string>();
const count = ref(1);
const json = ref('[{ "op": "increase", "key": "progress/climbs", "path": "", "by": 1 }]');
const moment = ref('');
const problem = ref<unknown>();
const wrong = ref('');
const foreseen = ref<GiftForeseen>();
const looked = ref<{ readonly done: number; readonly of: number }>();

const named = (kind: string) =>
  Object.entries(manifest.records)
    .filter(([, one]) => one.kind === kind)
    .map(([key]) => key);
const currencies = computed(() => named('currency'));
const inventories = computed(() => named('inventory'));
const items = computed(() => Object.keys(manifest.items));
currency.value = currencies.value[0];
inventory.value = inventories.value[0];
item.value = items.value[0];

function content(): Pick<GiftLookRequest, 'changes' | 'asOf'> {
  if (way.value === 'as-of') {
    if (moment.value === '') throw new Error('Say which moment.');
    return { asOf: new Date(moment.value).toISOString() };
  }
  if (way.value === 'json') return { changes: JSON.parse(json.value) as Change[] };
  const reason = label.value.trim();
  if (way.value === 'credit' || way.value === 'debit') {
    return { changes: [{ op: way.value, key: currency.value ?? '', amount: amount.value, reason }] };
  }
  return { changes: [{ op: way.value, key: inventory.value ?? '', item: item.value ?? '', count: count.value }] };
}

function who(): GiftAudience {
  switch (audience.value) {
    case 'everybody':
      return { everybody: true };
    case 'in-session':
      return { found: { inSession: true } };
    case 'lately':
      return { found: { joinedSince: new Date(Date.now() - 24 * 3_600_000).toISOString() } };
    case 'search':
      if (search.value.trim() === '') throw new Error('Say which text.');
      return { found: { search: search.value.trim() } };
    case 'named': {
      const players = ids.value.split(/[\n,;]+/).flatMap((one) => (one.trim() === '' ? [] : one.trim()));
      if (players.length === 0) throw new Error('Name at least one id.');
      return { players };
    }
  }
}

async function look(): Promise<void> {
  problem.value = undefined;
  foreseen.value = undefined;
  wrong.value = '';
  try {
    const asked = { ...content(), audience: who() };
    looked.value = { done: 0, of: 0 };
    foreseen.value = await calls.value.gifts.foresee(asked, (done, of) => (looked.value = { done, of }));
  } catch (error) {
    if (error instanceof SyntaxError || error?.constructor === Error) wrong.value = (error as Error).message;
    else problem.value = error;
  }
  looked.value = undefined;
}

async function give(): Promise<void> {
  try {
    const { number } = await calls.value.gifts.give({ label: label.value.trim(), ...content(), audience: who() });
    emit('given', number);
  } catch (error) {
    problem.value = error;
  }
}

// What was looked at is what is given.
watch([label, way, audience, search, ids, currency, amount, inventory, item, count, json, moment], () => {
  foreseen.value = undefined;
  wrong.value = '';
});
</script>

<template>
  <form class="sheet new" aria-label="New gift" @submit.prevent="look">
    <label
      >What is it?
      <InputText v-model="label" size="small" maxlength="150" placeholder="ridge festival" aria-label="What is it?"
    /></label>
    <div class="row">
      <label
        >What they get
        <Select
          v-model="way"
          :options="[...ways]"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="What they get"
      /></label>
      <template v-if="way === 'credit' || way === 'debit'">
        <Select v-model="currency" :options="currencies" size="small" aria-label="Currency" />
        <InputNumber v-model="amount" :min="1" size="small" aria-label="Amount" />
      </template>
      <template v-else-if="way === 'gain' || way === 'lose'">
        <Select v-model="inventory" :options="inventories" size="small" aria-label="Inventory" />
        <InputNumber v-model="count" :min="1" size="small" aria-label="Count" />
        <Select v-model="item" :options="items" size="small" aria-label="Item" />
      </template>
      <label v-else-if="way === 'as-of'"
        >Moment <input v-model="moment" class="moment" type="datetime-local" step="1" aria-label="Moment"
      /></label>
      <Textarea v-else v-model="json" class="json" rows="4" aria-label="Changes, as JSON" />
    </div>
    <div class="row">
      <label
        >Who gets it
        <Select
          v-model="audience"
          :options="[...audiences]"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="Who gets it"
      /></label>
      <InputText v-if="audience === 'search'" v-model="search" size="small" aria-label="Text" />
      <Textarea
        v-if="audience === 'named'"
        v-model="ids"
        rows="3"
        class="ids"
        placeholder="one id a line"
        aria-label="Ids"
      />
    </div>
    <p v-if="way === 'as-of'" class="muted">Scores stay as they are; who is in a session is left alone.</p>
    <p v-if="wrong" role="alert" class="wrong">{{ wrong }}</p>
    <ProblemNotice v-if="problem" :problem="problem" @again="look" />
    <div class="row">
      <Button
        type="submit"
        size="small"
        severity="secondary"
        outlined
        label="Look what it would do"
        :disabled="label.trim() === '' || looked !== undefined"
      />
      <Button
        v-if="foreseen && foreseen.changed > 0"
        size="small"
        :label="`Give it to ${numberInWords(foreseen.changed)}`"
        @click="give"
      />
      <Button size="small" severity="secondary" text label="Leave it" @click="emit('left')" />
    </div>
    <div v-if="looked" role="status">
      <ProgressBar :value="looked.of === 0 ? 0 : Math.floor((looked.done / looked.of) * 100)" />
      {{ numberInWords(looked.done) }} of {{ numberInWords(looked.of) }} players looked at
    </div>
    <section v-if="foreseen" aria-label="What it would do">
      <p>
        Of {{ numberInWords(foreseen.looked) }} players it would change <b>{{ numberInWords(foreseen.changed) }}</b>,
        leave {{ numberInWords(foreseen.same) }} as they are, and be refused for {{ numberInWords(foreseen.refusals) }}.
      </p>
      <table v-if="foreseen.examples.length > 0">
        <tbody>
          <tr v-for="one in foreseen.examples" :key="one.player">
            <td>{{ one.name ?? one.player }}</td>
            <td>{{ one.words }}</td>
          </tr>
        </tbody>
      </table>
      <template v-if="foreseen.refused.length > 0">
        <h3>Refused for</h3>
        <table class="refused">
          <tbody>
            <tr v-for="one in foreseen.refused.slice(0, 200)" :key="one.player">
              <td>{{ one.name ?? one.player }}</td>
              <td>{{ one.detail }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </section>
  </form>
</template>

<style scoped>
.new {
  display: flex;
  flex-direction: column;
  gap: 0.8rem;
  margin: 1rem 0;
  padding: 1.1rem 1.4rem;
}

label {
  display: inline-flex;
  gap: 0.6rem;
  align-items: center;
}

.row {
  display: flex;
  flex-wrap: wrap;
  gap: 0.8rem;
  align-items: center;
}

.json {
  flex: 1 1 24rem;
  font-family: monospace;
}

.ids {
  flex: 1 1 16rem;
}

.moment {
  padding: 0.35rem 0.6rem;
  border: 1px solid var(--p-form-field-border-color);
  border-radius: 4px;
  background: var(--p-form-field-background);
  color: inherit;
  font: inherit;
}

.wrong {
  color: var(--route);
}

p,
h3 {
  margin: 0;
}

table {
  width: 100%;
  margin: 0.5rem 0;
  border-collapse: collapse;
}

td {
  padding: 0.25rem 0.9rem 0.25rem 0;
  border-top: 1px solid var(--line);
  vertical-align: top;
  overflow-wrap: anywhere;
}

td:first-child {
  width: 14rem;
}
</style>
