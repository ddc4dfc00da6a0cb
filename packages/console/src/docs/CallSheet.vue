<script setup lang="ts">
import { computed } from 'vue';
import type { Call, Parameter } from './document.js';
import { inWords } from './shape-words.js';
import ShapeView from './ShapeView.vue';

/** What a problem's code means, as the service tells it. */
export interface ProblemMeaning {
  readonly status: number;
  readonly title: string;
  readonly advice: string;
}

const { call, meanings } = defineProps<{ call: Call; meanings: ReadonlyMap<string, ProblemMeaning> }>();

const places: readonly { readonly in: Parameter['in']; readonly title: string }[] = [
  { in: 'path', title: 'In the path' },
  { in: 'query', title: 'In the query' },
  { in: 'header', title: 'In headers' },
];
const parameters = computed(() =>
  places
    .map(({ in: where, title }) => ({ title, list: call.parameters.filter((one) => one.in === where) }))
    .filter(({ list }) => list.length > 0),
);
</script>

<template>
  <article class="sheet">
    <p class="line">
      <span class="method" :class="call.method.toLowerCase()">{{ call.method }}</span>
      <code>{{ call.path }}</code>
    </p>
    <h1>{{ call.summary }}</h1>
    <p class="muted">{{ call.callers }}</p>

    <section v-for="group in parameters" :key="group.title">
      <h2>{{ group.title }}</h2>
      <ul>
        <li v-for="one in group.list" :key="one.name">
          <code class="name">{{ one.name }}</code>
          {{ inWords(one.schema) }}<template v-if="!one.required">, may be left out</template>
          <span class="muted">{{ one.description ?? one.schema.description }}</span>
        </li>
      </ul>
    </section>

    <section v-if="call.body">
      <h2>The body</h2>
      <ShapeView :shape="call.body" />
    </section>

    <section>
      <h2>The answer</h2>
      <p class="muted">
        {{ call.status }}, <code>{{ call.media }}</code>
      </p>
      <ShapeView v-if="call.answer" :shape="call.answer" />
    </section>

    <section v-if="call.problems.length > 0">
      <h2>What may be wrong</h2>
      <dl>
        <template v-for="code in call.problems" :key="code">
          <dt>
            <code>{{ code }}</code>
            <span v-if="meanings.has(code)" class="muted">{{ meanings.get(code)?.status }}</span>
          </dt>
          <dd v-if="meanings.has(code)">{{ meanings.get(code)?.title }} {{ meanings.get(code)?.advice }}</dd>
        </template>
      </dl>
    </section>
  </article>
</template>

<style scoped>
article {
  padding: 1.4rem 1.8rem 1.8rem;
}

.line {
  margin: 0 0 0.6rem;
  overflow-wrap: anywhere;
}

.line code {
  font-size: 1rem;
}

h1 {
  font-size: 1.7rem;
}

h2 {
  margin: 1.5rem 0 0.4rem;
}

p.muted {
  margin: 0.3rem 0 0;
}

ul {
  margin: 0;
  padding: 0;
  list-style: none;
}

li {
  padding: 0.14rem 0;
}

.name {
  margin-right: 0.6rem;
  font-weight: 700;
}

li .muted {
  display: block;
  font-size: 0.95rem;
}

dt {
  margin-top: 0.5rem;
}

dd {
  margin: 0;
}
</style>
