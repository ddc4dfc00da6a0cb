<script setup lang="ts">
import { isJsonArray, isJsonObject, type Json, type JsonObject } from '@vekkon/core';
import type { Column } from '@vekkon/core/tuning';
import Button from 'primevue/button';
import { computed } from 'vue';
import ValueField from './ValueField.vue';

/** A flat list as a table, row by row. */
const { value, columns, schema } = defineProps<{ value: Json; columns: readonly Column[]; schema: Json }>();
const emit = defineEmits<{ change: [value: Json] }>();
const rows = computed(() => (isJsonArray(value) ? value.filter(isJsonObject) : []));
const schemaOf = (name: string): Json => {
  const items = isJsonObject(schema) && isJsonObject(schema['items']) ? schema['items'] : {};
  const properties = isJsonObject(items['properties']) ? items['properties'] : {};
  return properties[name] ?? {};
};

function setCell(place: number, name: string, to: Json): void {
  emit('change', rows.value.with(place, { ...rows.value[place], [name]: to }));
}

const empty = { string: '', number: 0, integer: 0, boolean: false } as const;

function addRow(): void {
  const made: JsonObject = Object.fromEntries(
    columns
      .filter(({ isNeeded }) => isNeeded)
      .map(({ name, type, choices }) => [name, choices?.[0] ?? leastOf(name, empty[type])]),
  );
  emit('change', [...rows.value, made]);
}

function leastOf(name: string, otherwise: Json): Json {
  const one = schemaOf(name);
  const least = isJsonObject(one) ? one['minimum'] : undefined;
  return typeof otherwise === 'number' && typeof least === 'number' ? least : otherwise;
}

function move(place: number, by: number): void {
  const moved = [...rows.value];
  const [row] = moved.splice(place, 1);
  if (row !== undefined) moved.splice(place + by, 0, row);
  emit('change', moved);
}
</script>

<template>
  <div class="table">
    <table>
      <thead class="small-caps">
        <tr>
          <th scope="col">#</th>
          <th v-for="{ name } in columns" :key="name" scope="col">{{ name }}</th>
          <td></td>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, place) in rows" :key="place">
          <th scope="row" class="numerals muted">{{ place + 1 }}</th>
          <td v-for="{ name } in columns" :key="name">
            <ValueField
              :value="row[name]"
              :schema="schemaOf(name)"
              :label="`${name}, row ${place + 1}`"
              @change="(now) => setCell(place, name, now)"
            />
          </td>
          <td class="acts">
            <Button
              icon="pi pi-arrow-up"
              size="small"
              text
              :disabled="place === 0"
              :aria-label="`Row ${place + 1} up`"
              @click="move(place, -1)"
            />
            <Button
              icon="pi pi-arrow-down"
              size="small"
              text
              :disabled="place === rows.length - 1"
              :aria-label="`Row ${place + 1} down`"
              @click="move(place, 1)"
            />
            <Button
              icon="pi pi-trash"
              size="small"
              text
              severity="secondary"
              :aria-label="`Take row ${place + 1} out`"
              @click="emit('change', rows.toSpliced(place, 1))"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="rows.length === 0" class="muted">No rows yet.</p>
    <Button label="Add a row" icon="pi pi-plus" size="small" text @click="addRow" />
  </div>
</template>

<style scoped>
table {
  border-collapse: collapse;
}

th,
td {
  padding: 0.2rem 0.8rem 0.2rem 0;
  text-align: left;
  font-weight: 400;
}

.acts {
  white-space: nowrap;
}
</style>
