<script setup lang="ts">
import { isJsonArray, isJsonObject, type Json, type Manifest, type RecordDeclaration } from '@vekkon/core';
import { computed } from 'vue';
import { valueInWords } from '../words.js';
import ValueView from './ValueView.vue';

/** What a manifest declares: its records kind by kind, its items, its tunables. */
const { manifest } = defineProps<{ manifest: Manifest }>();

const kinds = [
  { kind: 'progress', title: 'Progress' },
  { kind: 'currency', title: 'Currencies' },
  { kind: 'inventory', title: 'Inventories' },
  { kind: 'preference', title: 'Preferences' },
  { kind: 'score', title: 'Boards' },
] as const;

const sections = computed(() =>
  kinds
    .map(({ kind, title }) => ({
      title,
      records: Object.entries(manifest.records)
        .filter(([, declaration]) => declaration.kind === kind)
        .map(([key, declaration]) => ({
          key,
          name: declaration.family === undefined ? key.slice(kind.length + 1) : `${key.slice(kind.length + 1)} · …`,
          declaration,
          facts: factsOf(declaration),
        })),
    }))
    .filter(({ records }) => records.length > 0),
);

/** Lists and objects stand below the facts, all else among them. */
function isComposed(value: Json): boolean {
  return isJsonObject(value) || isJsonArray(value);
}

/** What sets a declaration apart, in a few words each. */
function factsOf(declaration: RecordDeclaration): string[] {
  const facts: string[] = [];
  if (declaration.family !== undefined) facts.push(`up to ${declaration.family.atMost} for each player`);
  if (declaration.kind === 'currency') {
    facts.push(`starts at ${valueInWords(declaration.starting)}`, `at least ${valueInWords(declaration.floor)}`);
    if (declaration.ceiling < Number.MAX_SAFE_INTEGER) facts.push(`at most ${valueInWords(declaration.ceiling)}`);
    const limit = declaration.creditLimit;
    if (limit !== undefined) facts.push(`${valueInWords(limit.atMost)} credited in one ${limit.per} at most`);
  }
  if ('schema' in declaration && !isComposed(declaration.starting)) {
    facts.push(`starts as ${valueInWords(declaration.starting)}`);
  }
  if (declaration.kind === 'inventory') {
    if (declaration.capacity !== undefined) facts.push(`${declaration.capacity} places`);
    facts.push(declaration.accepts === undefined ? 'takes every item' : `takes ${declaration.accepts.join(', ')}`);
  }
  if (declaration.kind === 'score') {
    facts.push(`${declaration.better} is better`, `counts the ${declaration.counts}`);
    if (declaration.season !== 'none') facts.push(`season: ${declaration.season}`);
    if (declaration.lowest !== undefined) facts.push(`at least ${valueInWords(declaration.lowest)}`);
    if (declaration.highest !== undefined) facts.push(`at most ${valueInWords(declaration.highest)}`);
    const { above, below } = declaration.doubtful ?? {};
    if (above !== undefined) facts.push(`doubtful above ${valueInWords(above)}`);
    if (below !== undefined) facts.push(`doubtful below ${valueInWords(below)}`);
    if (declaration.entries !== undefined) facts.push(`keeps the best ${declaration.entries}, with names`);
    if (!declaration.public) facts.push('on no board');
  }
  if (declaration.lasts === 'run') facts.push('lasts for a run');
  if (declaration.player === 'write') facts.push('players may write it');
  if (declaration.others === 'read') facts.push('others may see it');
  if (declaration.formerly !== undefined) facts.push(`formerly ${declaration.formerly.join(', ')}`);
  return facts;
}
</script>

<template>
  <div v-for="section in sections" :key="section.title" class="kind">
    <h3 class="small-caps">{{ section.title }}</h3>
    <article v-for="one in section.records" :key="one.key" class="sheet" :data-declared="one.key">
      <h4>
        {{ one.name }}
        <span v-if="one.declaration.learned" class="tag">learned</span>
      </h4>
      <p v-if="one.declaration.about" class="muted">{{ one.declaration.about }}</p>
      <p class="facts">
        <span v-for="fact in one.facts" :key="fact">{{ fact }}</span>
      </p>
      <ValueView
        v-if="'schema' in one.declaration && isComposed(one.declaration.starting)"
        class="starting"
        :value="one.declaration.starting"
      />
    </article>
  </div>
  <div v-if="Object.keys(manifest.items).length > 0" class="kind">
    <h3 class="small-caps">Items</h3>
    <article v-for="(item, name) in manifest.items" :key="name" class="sheet" :data-declared="`item/${name}`">
      <h4>{{ name }} <span v-if="item.learned" class="tag">learned</span></h4>
      <p v-if="item.about" class="muted">{{ item.about }}</p>
      <p class="facts">
        <span>{{ 'unique' in item ? 'each is one of its own' : `stacks of ${item.stack}` }}</span>
        <span v-if="item.formerly">formerly {{ item.formerly.join(', ') }}</span>
      </p>
      <ValueView v-if="'unique' in item" class="starting" :value="item.starting" />
    </article>
  </div>
  <div v-if="Object.keys(manifest.tunables).length > 0" class="kind">
    <h3 class="small-caps">Tunables</h3>
    <article v-for="(tunable, name) in manifest.tunables" :key="name" class="sheet">
      <h4>{{ name }}</h4>
      <p v-if="tunable.about" class="muted">{{ tunable.about }}</p>
      <ValueView class="starting" :value="tunable.starting" />
    </article>
  </div>
</template>

<style scoped>
.kind {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(19rem, 1fr));
  gap: 0.6rem;
  margin-bottom: 1.2rem;
}

h3 {
  grid-column: 1 / -1;
  margin: 0;
}

article {
  padding: 0.65rem 1rem 0.75rem;
}

h4 {
  margin: 0;
  font-size: 1.08rem;
}

p {
  margin: 0.15rem 0 0;
}

.facts span + span::before {
  content: ' · ';
}

.starting {
  margin-top: 0.3rem;
  font-size: 0.95rem;
}

.tag {
  padding: 0 0.45rem;
  border-radius: 3px;
  background: var(--good-soft);
  color: var(--good);
  font-size: 0.88rem;
}
</style>
