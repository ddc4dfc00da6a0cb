<script setup lang="ts">
import { computed } from 'vue';
import type { Shape } from './document.js';
import { innerOf, inWords } from './shape-words.js';

/** One shape, its fields line by line; what lies deep is opened when it is wanted. */
const { shape, depth = 0 } = defineProps<{ shape: Shape; depth?: number }>();

const parts = computed(() =>
  innerOf(shape).map(({ title, shape: one }) => ({
    title,
    fields: Object.entries(one.properties ?? {}).map(([name, field]) => ({
      name,
      field,
      words: inWords(field),
      isOptional: one.required?.includes(name) !== true,
      hasInner: innerOf(field).some((inner) => Object.keys(inner.shape.properties ?? {}).length > 0),
    })),
  })),
);
</script>

<template>
  <p v-if="depth === 0 && shape.properties === undefined" class="whole">{{ inWords(shape) }}</p>
  <div v-for="(part, index) in parts" :key="index" class="part" :class="{ choice: part.title !== '' }">
    <p v-if="part.title" class="title">
      <code>{{ part.title }}</code>
    </p>
    <ul>
      <li v-for="one in part.fields" :key="one.name">
        <code class="name">{{ one.name }}</code> {{ one.words
        }}<template v-if="one.isOptional">, may be left out</template
        ><template v-if="one.field.default !== undefined"
          >: <code>{{ JSON.stringify(one.field.default) }}</code> then</template
        >
        <span v-if="one.field.description" class="muted">{{ one.field.description }}</span>
        <template v-if="one.hasInner">
          <ShapeView v-if="depth < 1" :shape="one.field" :depth="depth + 1" />
          <details v-else>
            <summary>what it holds</summary>
            <ShapeView :shape="one.field" :depth="depth + 1" />
          </details>
        </template>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.whole {
  margin: 0 0 0.4rem;
}

.title {
  margin: 0.5rem 0 0.2rem;
  color: var(--earth);
}

.choice + .choice {
  margin-top: 0.4rem;
}

ul {
  margin: 0;
  padding: 0 0 0 0.9rem;
  border-left: 2px solid var(--line);
  list-style: none;
}

li {
  padding: 0.14rem 0;
}

.name {
  margin-right: 0.6rem;
  font-weight: 700;
}

.muted {
  display: block;
  font-size: 0.95rem;
}

summary {
  cursor: pointer;
  color: var(--p-primary-color);
}
</style>
