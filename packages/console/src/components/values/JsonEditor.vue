<script setup lang="ts">
import type { Json } from '@vekkon/core';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { mistakesInJson, type JsonMistake } from './json-mistakes.js';

/** A value as JSON, with marks where it does not fit. The editor is loaded when it is first needed. */
const { value, check, label } = defineProps<{
  value: Json;
  check: (value: Json) => { readonly pointer: string; readonly detail: string } | undefined;
  label: string;
}>();
const emit = defineEmits<{ change: [value: Json]; wrong: [detail: string | undefined] }>();
const holder = ref<HTMLElement>();
const mistake = ref<JsonMistake>();
let view: { destroy(): void; text(): string; show(text: string): void } | undefined;

function took(text: string): void {
  const found = mistakesInJson(text, check);
  mistake.value = found.mistake;
  emit('wrong', found.mistake?.detail);
  if (found.mistake === undefined) emit('change', found.value as Json);
}

onMounted(async () => {
  const { openJsonEditor } = await import('./json-editor.js');
  if (holder.value === undefined) return;
  view = openJsonEditor(holder.value, JSON.stringify(value, null, 2), {
    label,
    changed: took,
    mistakeIn: (text) => mistakesInJson(text, check).mistake,
  });
});
onBeforeUnmount(() => view?.destroy());
watch(
  () => value,
  (now) => {
    if (view === undefined) return;
    const shown = mistakesInJson(view.text(), () => undefined);
    if (JSON.stringify(shown.value) !== JSON.stringify(now) && mistake.value === undefined) {
      view.show(JSON.stringify(now, null, 2));
    }
  },
);
</script>

<template>
  <div class="json">
    <div ref="holder" class="editor" />
    <p v-if="mistake" class="wrong" role="alert">Line {{ mistake.line }}: {{ mistake.detail }}</p>
  </div>
</template>

<style scoped>
.editor {
  min-height: 8rem;
  max-height: 24rem;
  overflow: auto;
  border: 1px solid var(--p-form-field-border-color);
  border-radius: 4px;
  background: var(--p-form-field-background);
}

.wrong {
  margin: 0.3rem 0 0;
  color: var(--route);
}
</style>
