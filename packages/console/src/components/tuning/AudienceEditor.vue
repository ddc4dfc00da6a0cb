<script setup lang="ts">
import {
  audienceInWords,
  audienceShapeMistake,
  comparisonNames,
  type AttributeTest,
  type AttributeValue,
  type Audience,
} from '@vekkon/core/tuning';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed } from 'vue';
import JsonEditor from '../values/JsonEditor.vue';
import { plain, type AttributeTypes } from './tuned.js';

/** For whom an adjustment is: tests that must all hold; what nests deeper is edited as JSON. */
const { audience, types } = defineProps<{ audience: Audience | undefined; types: AttributeTypes }>();
const emit = defineEmits<{ change: [audience: Audience | undefined] }>();

interface Row {
  readonly attribute: string;
  readonly test: string;
  readonly value: string;
}

const tests = [...comparisonNames, 'isOneOf', 'isMissing'];
const words: { readonly [test: string]: string } = {
  is: 'is',
  isNot: 'is not',
  atLeast: 'is at least',
  atMost: 'is at most',
  above: 'is above',
  below: 'is below',
  isOneOf: 'is one of',
  isMissing: 'is not known',
};
const choices = tests.map((test) => ({ test, label: words[test] ?? test }));
const names = computed(() => Object.keys(types));
const rows = computed(() => rowsOf(audience));

/** @returns undefined where it nests, or says more of an attribute than one thing */
function rowsOf(one: Audience | undefined): readonly Row[] | undefined {
  if (one === undefined) return [];
  const all = 'all' in one ? one.all : [one];
  const found = all.map((test): Row | undefined => {
    if ('all' in test || 'any' in test || 'not' in test) return undefined;
    const { attribute, ...rest } = test;
    const [[name, value] = [], ...more] = Object.entries(rest);
    if (name === undefined || more.length > 0 || value === false) return undefined;
    return { attribute, test: name, value: Array.isArray(value) ? value.join(', ') : String(value) };
  });
  return found.every((row) => row !== undefined) ? found : undefined;
}

function typed(text: string, attribute: string): AttributeValue {
  const type = types[attribute];
  if (type === 'number' && text.trim() !== '' && Number.isFinite(Number(text))) return Number(text);
  if (type === 'boolean') return text.trim() === 'true';
  return text.trim();
}

function testOf({ attribute, test, value }: Row): AttributeTest {
  if (test === 'isMissing') return { attribute, isMissing: true };
  if (test === 'isOneOf') return { attribute, isOneOf: value.split(',').map((one) => typed(one, attribute)) };
  return { attribute, [test]: typed(value, attribute) };
}

function set(all: readonly Row[]): void {
  const made = all.map(testOf);
  const [only] = made;
  emit('change', made.length === 0 ? undefined : made.length === 1 ? only : { all: made });
}

function change(place: number, part: Partial<Row>): void {
  const before = rows.value?.[place];
  if (rows.value !== undefined && before !== undefined) set(rows.value.with(place, { ...before, ...part }));
}

function add(): void {
  set([...(rows.value ?? []), { attribute: 'country', test: 'is', value: 'PT' }]);
}

function checkShape(given: unknown) {
  const detail = audienceShapeMistake(given);
  return detail === undefined ? undefined : { pointer: '', detail: `An audience ${detail}.` };
}
</script>

<template>
  <div class="audience">
    <template v-if="rows">
      <div v-for="(row, place) in rows" :key="place" class="row">
        <Select
          :model-value="row.attribute"
          :options="names"
          size="small"
          aria-label="Attribute"
          @update:model-value="(attribute: string) => change(place, { attribute })"
        />
        <Select
          :model-value="row.test"
          :options="choices"
          option-label="label"
          option-value="test"
          size="small"
          aria-label="Test"
          @update:model-value="(test: string) => change(place, { test })"
        />
        <InputText
          v-if="row.test !== 'isMissing'"
          :model-value="row.value"
          size="small"
          :aria-label="`Value of ${row.attribute}`"
          @update:model-value="(value) => change(place, { value: value ?? '' })"
        />
        <Button
          icon="pi pi-times"
          size="small"
          text
          severity="secondary"
          aria-label="Take this test out"
          @click="set(rows.toSpliced(place, 1))"
        />
      </div>
      <Button
        :label="rows.length === 0 ? 'Only for some players' : 'And …'"
        icon="pi pi-plus"
        size="small"
        text
        @click="add"
      />
    </template>
    <template v-else-if="audience">
      <p class="muted">For players {{ audienceInWords(audience) }}</p>
      <JsonEditor
        :value="plain(audience) as never"
        :check="checkShape"
        label="Audience as JSON"
        @change="(now) => emit('change', now as unknown as Audience)"
      />
    </template>
  </div>
</template>

<style scoped>
.audience {
  display: grid;
  gap: 0.4rem;
  justify-items: start;
}

.row {
  display: flex;
  gap: 0.4rem;
  align-items: center;
}

p {
  margin: 0;
}
</style>
