<script setup lang="ts">
import type { Json } from '@vekkon/core';
import InputNumber from 'primevue/inputnumber';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import Textarea from 'primevue/textarea';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed } from 'vue';
import { fieldOf } from './field-of.js';

/** One plain value, in the field that its schema asks for. */
const { value, schema, label } = defineProps<{ value: Json | undefined; schema: Json; label: string }>();
const emit = defineEmits<{ change: [value: Json] }>();
const field = computed(() => fieldOf(schema));
const choices = computed(() =>
  ((schema as { readonly enum?: readonly Json[] }).enum ?? []).map((one) => ({ one, label: String(one) })),
);
const isWhole = computed(() => (schema as { readonly type?: Json }).type === 'integer');

/** A list of texts, one a line; a line that is empty is none. */
function linesOf(text: string | undefined): readonly string[] {
  return (text ?? '').split('\n').filter((line) => line.trim() !== '');
}
</script>

<template>
  <ToggleSwitch
    v-if="field === 'boolean'"
    :model-value="value === true"
    :aria-label="label"
    @update:model-value="(now: boolean) => emit('change', now)"
  />
  <Select
    v-else-if="field === 'choice'"
    :model-value="value"
    :options="choices"
    option-label="label"
    option-value="one"
    size="small"
    :aria-label="label"
    @update:model-value="(now: Json) => emit('change', now)"
  />
  <InputNumber
    v-else-if="field === 'number'"
    :model-value="typeof value === 'number' ? value : null"
    size="small"
    :max-fraction-digits="isWhole ? 0 : 6"
    :use-grouping="false"
    locale="en-GB"
    :aria-label="label"
    @input="({ value: now }) => typeof now === 'number' && emit('change', now)"
  />
  <Textarea
    v-else-if="field === 'list'"
    :model-value="Array.isArray(value) ? value.join('\n') : ''"
    rows="3"
    size="small"
    placeholder="one a line"
    :aria-label="label"
    @update:model-value="(now) => emit('change', linesOf(now))"
  />
  <InputText
    v-else
    :model-value="typeof value === 'string' ? value : ''"
    size="small"
    :aria-label="label"
    @update:model-value="(now) => emit('change', now ?? '')"
  />
</template>
