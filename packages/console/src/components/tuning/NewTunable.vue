<script setup lang="ts">
import type { Json } from '@vekkon/core';
import type { DeclareTunableRequest } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, shallowRef } from 'vue';
import JsonEditor from '../values/JsonEditor.vue';

/** Another tunable: its name, what it is, its type, its value, its bounds. */
const emit = defineEmits<{ declare: [tunable: DeclareTunableRequest]; left: [] }>();
const name = ref('');
const about = ref('');
const type = ref<'number' | 'integer' | 'boolean' | 'string' | 'schema'>('number');
const types = [
  { label: 'a number', value: 'number' },
  { label: 'a whole number', value: 'integer' },
  { label: 'yes or no', value: 'boolean' },
  { label: 'a text', value: 'string' },
  { label: 'a list or an object, by a JSON Schema', value: 'schema' },
];
const value = ref<number | null>(1);
const text = ref('');
const least = ref<number | null>(null);
const greatest = ref<number | null>(null);
const ownSchema = shallowRef<Json>({ type: 'array', maxItems: 50, items: { type: 'string' }, default: [] });
const isNumber = computed(() => type.value === 'number' || type.value === 'integer');
const schema = computed((): Json => {
  if (type.value === 'schema') return ownSchema.value;
  if (type.value === 'boolean') return { type: 'boolean', default: false };
  if (type.value === 'string') return { type: 'string', default: text.value };
  const bounds = {
    ...(least.value !== null && { minimum: least.value }),
    ...(greatest.value !== null && { maximum: greatest.value }),
  };
  return { type: type.value, ...bounds, default: value.value ?? 0 };
});
const isRight = computed(() => /^[a-z][a-z0-9-]{0,62}$/.test(name.value));

function declare(): void {
  const told = about.value.trim();
  emit('declare', { name: name.value, schema: schema.value, ...(told !== '' && { about: told }) });
}
</script>

<template>
  <form class="sheet new" aria-label="Another tunable" @submit.prevent="isRight && declare()">
    <h2>Another tunable</h2>
    <p class="muted">
      It is added to the manifest, as its next version: “vekkon manifest pull” brings it into the programmers’ file.
    </p>
    <dl>
      <dt>Name</dt>
      <dd>
        <InputText v-model="name" size="small" aria-label="Name" placeholder="wind-from-west" />
        <span v-if="name !== '' && !isRight" class="wrong">small letters, digits and “-”, starting with a letter</span>
      </dd>
      <dt>What it is</dt>
      <dd><InputText v-model="about" size="small" class="long" aria-label="What it is" /></dd>
      <dt>Type</dt>
      <dd>
        <Select
          v-model="type"
          :options="types"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="Type"
        />
      </dd>
      <template v-if="isNumber">
        <dt>Value</dt>
        <dd>
          <InputNumber
            v-model="value"
            size="small"
            :max-fraction-digits="type === 'integer' ? 0 : 6"
            locale="en-GB"
            :aria-label="'Value'"
          />
          from
          <InputNumber
            v-model="least"
            size="small"
            :max-fraction-digits="6"
            locale="en-GB"
            placeholder="any"
            :aria-label="'Least'"
          />
          to
          <InputNumber
            v-model="greatest"
            size="small"
            :max-fraction-digits="6"
            locale="en-GB"
            placeholder="any"
            :aria-label="'Greatest'"
          />
        </dd>
      </template>
      <template v-else-if="type === 'string'">
        <dt>Value</dt>
        <dd><InputText v-model="text" size="small" class="long" aria-label="Value" /></dd>
      </template>
      <template v-else-if="type === 'schema'">
        <dt>Schema</dt>
        <dd class="wide">
          <JsonEditor
            :value="ownSchema"
            :check="() => undefined"
            label="JSON Schema"
            @change="(now) => (ownSchema = now)"
          />
        </dd>
      </template>
    </dl>
    <Button type="submit" label="Declare it" size="small" :disabled="!isRight" />
    <Button label="Leave it" size="small" text severity="secondary" @click="emit('left')" />
  </form>
</template>

<style scoped>
.new {
  padding: 1.2rem 1.5rem;
}

dl {
  display: grid;
  grid-template-columns: 7rem 1fr;
  gap: 0.6rem 1rem;
  align-items: center;
}

dd {
  display: flex;
  gap: 0.5rem;
  align-items: center;
  margin: 0;
}

.wide {
  display: block;
}

.long {
  width: 26rem;
}

.wrong {
  color: var(--route);
}

p {
  margin: 0.3rem 0;
}
</style>
