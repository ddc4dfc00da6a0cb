<script setup lang="ts">
import type { Json } from '@vekkon/core';
import { windowInWords, type Adjustment, type TrialValue } from '@vekkon/core/tuning';
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import InputText from 'primevue/inputtext';
import { computed } from 'vue';
import AudienceEditor from './AudienceEditor.vue';
import type { AttributeTypes } from './tuned.js';
import ValueEditor from '../values/ValueEditor.vue';

/** One adjustment: what it gives, when, and for whom. */
const { adjustment, schema, types, measures } = defineProps<{
  adjustment: Adjustment;
  schema: Json;
  types: AttributeTypes;
  /** The keys that a trial can be measured by. */
  measures: readonly string[];
}>();
const emit = defineEmits<{ change: [adjustment: Adjustment] }>();
const isTrial = computed(() => adjustment.values !== undefined);
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** Without what is taken away: a member that is none is none. */
function change(part: { readonly [Member in keyof Adjustment]?: Adjustment[Member] | undefined }): void {
  const entries = Object.entries({ ...adjustment, ...part }).filter(([, one]) => one !== undefined);
  emit('change', Object.fromEntries(entries) as unknown as Adjustment);
}

/** As a field of a form shows it, in the zone of whoever looks. */
function localTime(time: string | undefined): string {
  if (time === undefined) return '';
  const at = new Date(time);
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

function setEnd(end: 'from' | 'until', local: string): void {
  const window = { ...adjustment.window, [end]: local === '' ? undefined : new Date(local).toISOString() };
  const entries = Object.entries(window).filter(([, one]) => one !== undefined);
  change({ window: entries.length === 0 ? undefined : Object.fromEntries(entries) });
}

function toTrial(): void {
  const value = adjustment.value ?? null;
  const values = [
    { value, share: 50 },
    { value, share: 50 },
  ];
  change({ value: undefined, values, measure: { key: measures[0] ?? '' } });
}

function fromTrial(): void {
  change({ value: adjustment.values?.[0]?.value ?? null, values: undefined, measure: undefined });
}

function setTrialValue(place: number, part: Partial<TrialValue>): void {
  const before = adjustment.values?.[place];
  if (before !== undefined) change({ values: adjustment.values?.with(place, { ...before, ...part }) });
}

function setMeasure(text: string): void {
  const [key = '', path] = text.split(':');
  change({ measure: path === undefined ? { key } : { key, path } });
}

function measureText({ key = '', path }: { readonly key?: string; readonly path?: string } = {}): string {
  return path === undefined ? key : `${key}:${path}`;
}
</script>

<template>
  <dl class="adjustment">
    <dt>What people call it</dt>
    <dd>
      <InputText
        :model-value="adjustment.note ?? ''"
        size="small"
        aria-label="What people call it"
        @update:model-value="(note) => change({ note: note || undefined })"
      />
    </dd>
    <template v-if="adjustment.values">
      <dt>Values of the trial</dt>
      <dd>
        <div v-for="(one, place) in adjustment.values" :key="place" class="line">
          <ValueEditor
            :value="one.value"
            :schema="schema"
            :label="`Value ${place + 1}`"
            @change="(value) => setTrialValue(place, { value })"
          />
          <InputNumber
            :model-value="one.share"
            suffix=" %"
            size="small"
            :max-fraction-digits="2"
            :aria-label="`Share of value ${place + 1}`"
            @input="({ value: share }) => typeof share === 'number' && setTrialValue(place, { share })"
          />
          <Button
            v-if="adjustment.values.length > 2"
            icon="pi pi-times"
            size="small"
            text
            severity="secondary"
            :aria-label="`Take value ${place + 1} out`"
            @click="change({ values: adjustment.values?.toSpliced(place, 1) })"
          />
        </div>
        <Button
          v-if="adjustment.values.length < 5"
          label="Another value"
          icon="pi pi-plus"
          size="small"
          text
          @click="change({ values: [...adjustment.values, { value: adjustment.values[0]?.value ?? null, share: 0 }] })"
        />
        <Button label="No trial: one value" size="small" text severity="secondary" @click="fromTrial" />
      </dd>
      <dt>Measured by</dt>
      <dd>
        <InputText
          :model-value="measureText(adjustment.measure)"
          size="small"
          list="measures"
          aria-label="Measured by"
          @update:model-value="(text) => setMeasure(text ?? '')"
        />
        <datalist id="measures"><option v-for="one in measures" :key="one" :value="one" /></datalist>
        <span class="muted">a board, a currency, or a number such as progress/flight:/metres</span>
      </dd>
    </template>
    <template v-else>
      <dt>Value</dt>
      <dd>
        <ValueEditor
          :value="adjustment.value ?? null"
          :schema="schema"
          label="Value"
          @change="(value) => change({ value })"
        />
        <Button v-if="!isTrial" label="Try several values" size="small" text severity="secondary" @click="toTrial" />
      </dd>
    </template>
    <dt>When</dt>
    <dd>
      <div class="line">
        <input
          class="p-inputtext p-component p-inputtext-sm"
          type="datetime-local"
          :value="localTime(adjustment.window?.from)"
          aria-label="From"
          @change="(event) => setEnd('from', (event.target as HTMLInputElement).value)"
        />
        to
        <input
          class="p-inputtext p-component p-inputtext-sm"
          type="datetime-local"
          :value="localTime(adjustment.window?.until)"
          aria-label="Until"
          @change="(event) => setEnd('until', (event.target as HTMLInputElement).value)"
        />
      </div>
      <span class="muted">{{ zone }}; {{ adjustment.window ? windowInWords(adjustment.window) : 'always' }}</span>
    </dd>
    <dt>For whom</dt>
    <dd>
      <AudienceEditor :audience="adjustment.audience" :types="types" @change="(audience) => change({ audience })" />
      <div class="line">
        <InputNumber
          :model-value="adjustment.percent ?? null"
          suffix=" %"
          size="small"
          placeholder="all of them"
          :max-fraction-digits="3"
          :aria-label="'Percentage of players'"
          @input="({ value }) => change({ percent: typeof value === 'number' ? value : undefined })"
        />
        <span class="muted">of them, always the same; raising it only adds players</span>
      </div>
    </dd>
  </dl>
</template>

<style scoped>
.adjustment {
  display: grid;
  grid-template-columns: 10rem 1fr;
  gap: 0.6rem 1rem;
  margin: 0;
}

dt {
  padding-top: 0.3rem;
  color: var(--p-text-muted-color);
}

dd {
  display: grid;
  gap: 0.4rem;
  justify-items: start;
  margin: 0;
}

.line {
  display: flex;
  gap: 0.5rem;
  align-items: center;
}
</style>
