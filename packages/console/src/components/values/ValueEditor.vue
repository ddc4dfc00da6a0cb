<script setup lang="ts">
import { checkPlainly, isJsonObject, type Json, type JsonObject } from '@vekkon/core';
import { columnsOf } from '@vekkon/core/tuning';
import SelectButton from 'primevue/selectbutton';
import { computed, ref, watch } from 'vue';
import JsonEditor from './JsonEditor.vue';
import TableEditor from './TableEditor.vue';
import { fieldOf } from './field-of.js';
import ValueField from './ValueField.vue';

/** A value: a field, a form made from its schema, a table, or JSON with marks. */
const { value, schema, label } = defineProps<{ value: Json; schema: Json; label: string }>();
const emit = defineEmits<{ change: [value: Json]; wrong: [detail: string | undefined] }>();
const field = computed(() => fieldOf(schema));
const columns = computed(() => columnsOf(schema));
/** The members of an object that are plain values each. */
const members = computed(() => {
  if (!isJsonObject(schema) || !isJsonObject(schema['properties'])) return undefined;
  const found = Object.entries(schema['properties']);
  return found.every(([, one]) => fieldOf(one) !== 'json') ? found : undefined;
});
const readable = computed(() => (columns.value !== undefined ? 'Table' : 'Form'));
const isReadable = computed(() => columns.value !== undefined || members.value !== undefined);
const form = ref(isReadable.value ? readable.value : 'JSON');
const check = (one: Json) => checkPlainly(schema as JsonObject, one);
const misfit = computed(() => check(value));

watch(misfit, (now) => emit('wrong', now?.detail));

function setMember(name: string, to: Json): void {
  emit('change', { ...(isJsonObject(value) ? value : {}), [name]: to });
}
</script>

<template>
  <div class="value">
    <ValueField
      v-if="field !== 'json'"
      :value="value"
      :schema="schema"
      :label="label"
      @change="(now) => emit('change', now)"
    />
    <template v-else>
      <SelectButton
        v-if="isReadable"
        v-model="form"
        :options="[readable, 'JSON']"
        :allow-empty="false"
        size="small"
        aria-label="How to edit it"
      />
      <JsonEditor
        v-if="form === 'JSON'"
        :value="value"
        :check="check"
        :label="label"
        @change="(now) => emit('change', now)"
        @wrong="(detail) => emit('wrong', detail)"
      />
      <TableEditor
        v-else-if="columns"
        :value="value"
        :columns="columns"
        :schema="schema"
        @change="(now) => emit('change', now)"
      />
      <dl v-else-if="members" class="form">
        <template v-for="[name, inner] in members" :key="name">
          <dt>{{ name }}</dt>
          <dd>
            <ValueField
              :value="isJsonObject(value) ? value[name] : undefined"
              :schema="inner"
              :label="name"
              @change="(now) => setMember(name, now)"
            />
          </dd>
        </template>
      </dl>
    </template>
    <p v-if="misfit && form !== 'JSON'" class="wrong" role="alert">{{ misfit.detail }}</p>
  </div>
</template>

<style scoped>
.value {
  display: grid;
  gap: 0.6rem;
  justify-items: start;
  width: 100%;
}

.value > .json,
.value > .table {
  width: 100%;
}

.form {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0.5rem 1rem;
  align-items: center;
  margin: 0;
}

.form dd {
  margin: 0;
}

.wrong {
  margin: 0;
  color: var(--route);
}
</style>
