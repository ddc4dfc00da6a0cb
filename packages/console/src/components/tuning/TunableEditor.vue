<script setup lang="ts">
import { checkPlainly, equalJson, type Json, type Manifest } from '@vekkon/core';
import {
  adjustmentInWords,
  checkTuned,
  nameOf,
  tuningDifferences,
  type Adjustment,
  type Tuned,
} from '@vekkon/core/tuning';
import type { ServiceRefused } from '@vekkon/client/operator';
import Button from 'primevue/button';
import { computed, ref, shallowRef, watch } from 'vue';
import { agoInWords } from '../../words.js';
import AdjustmentEditor from './AdjustmentEditor.vue';
import { newAdjustmentId, plain, stateOf, tunedOf, type AttributeTypes, type DraftTunable } from './tuned.js';
import ValueEditor from '../values/ValueEditor.vue';

/** One tunable: its base value, and its adjustments in the order in which they are tried. */
const { name, tunable, types, manifest, problem, mayEdit, mayRemove } = defineProps<{
  name: string;
  tunable: DraftTunable;
  types: AttributeTypes;
  manifest: Manifest;
  /** What the service refused of it. */
  problem: unknown;
  mayEdit: boolean;
  /** It changes the manifest: who may publish may do that too. */
  mayRemove: boolean;
}>();
const emit = defineEmits<{ put: [tuned: Tuned]; putBack: []; remove: [] }>();
const edited = shallowRef<Tuned>(plain(tunedOf(tunable)));
const open = ref<string>();
const wrong = ref<string>();
const isRemoving = ref(false);
const told = computed(() => JSON.stringify(tunedOf(tunable)));
const isChanged = computed(() => !equalJson(plain(edited.value), JSON.parse(told.value)));
const base = computed(() => edited.value.value ?? tunable.starting);
const mistakes = computed(() =>
  checkTuned(name, edited.value, tunedOf(tunable), { manifest, check: checkPlainly }, Date.now()),
);
const measures = computed(() =>
  Object.keys(manifest.records).filter((key) => key.startsWith('score/') || key.startsWith('currency/')),
);
const served = computed(() => (problem as ServiceRefused | undefined)?.message);

/** What was told when editing began: somebody else may have changed it meanwhile. */
const seen = ref(told.value);
const isBehind = computed(() => isChanged.value && seen.value !== told.value);
const meanwhile = computed(() => {
  const [before, now] = [seen.value, told.value].map((text) => ({ [name]: JSON.parse(text) as Tuned }));
  return tuningDifferences(before ?? {}, now ?? {}, manifest).map(({ words }) => words);
});

watch(
  () => [name, told.value] as const,
  ([now], [before]) => {
    if (now === before && isChanged.value) return;
    takeTheirs();
    if (now !== before) open.value = undefined;
  },
);

function takeTheirs(): void {
  edited.value = plain(tunedOf(tunable));
  seen.value = told.value;
}

function setBase(value: Json): void {
  edited.value = { ...edited.value, value };
}

function setAdjustments(adjustments: readonly Adjustment[]): void {
  edited.value = { ...edited.value, adjustments };
}

function add(): void {
  const made = { id: newAdjustmentId(), value: plain(base.value) };
  setAdjustments([made, ...edited.value.adjustments]);
  open.value = made.id;
}

function move(place: number, by: number): void {
  const moved = [...edited.value.adjustments];
  const [one] = moved.splice(place, 1);
  if (one !== undefined) moved.splice(place + by, 0, one);
  setAdjustments(moved);
}
</script>

<template>
  <section class="sheet tunable" :aria-label="name">
    <header>
      <h2>{{ name }}</h2>
      <span v-if="tunable.isEdited" class="edited">edited by {{ tunable.editedBy }}</span>
    </header>
    <p v-if="tunable.about">{{ tunable.about }}</p>
    <p v-if="tunable.isOutdated" class="wrong" role="alert">
      Something else was published since this was edited: look at it again, or go back to what is published.
    </p>
    <p v-for="misfit in tunable.misfits" :key="misfit" class="wrong" role="alert">
      Counts no more, since the manifest does not allow it: {{ misfit }}
    </p>
    <h3>For everybody</h3>
    <ValueEditor
      :value="base"
      :schema="tunable.schema"
      :label="name"
      @change="setBase"
      @wrong="(detail) => (wrong = detail)"
    />
    <p class="muted hint">
      {{
        edited.value === undefined ? 'This is what the manifest says.' : 'Published in place of what the manifest says.'
      }}
      <button
        v-if="edited.value !== undefined"
        type="button"
        class="link"
        @click="edited = { adjustments: edited.adjustments }"
      >
        Go by the manifest
      </button>
    </p>
    <div class="heading">
      <h3>Adjustments</h3>
      <span class="muted">the first that matches wins</span>
      <Button v-if="mayEdit" label="Add one" icon="pi pi-plus" size="small" text @click="add" />
    </div>
    <ol v-if="edited.adjustments.length > 0">
      <li v-for="(one, place) in edited.adjustments" :key="one.id">
        <div class="summary">
          <span class="state" :class="stateOf(one, Date.now()).replace(' ', '-')">{{ stateOf(one, Date.now()) }}</span>
          <button
            type="button"
            class="name"
            :aria-expanded="open === one.id"
            @click="open = open === one.id ? undefined : one.id"
          >
            {{ nameOf(one) }}
          </button>
          <span class="words">{{ adjustmentInWords(one) }}</span>
          <span v-if="mayEdit" class="acts">
            <Button
              icon="pi pi-arrow-up"
              size="small"
              text
              :disabled="place === 0"
              :aria-label="`${nameOf(one)} before`"
              @click="move(place, -1)"
            />
            <Button
              icon="pi pi-arrow-down"
              size="small"
              text
              :disabled="place === edited.adjustments.length - 1"
              :aria-label="`${nameOf(one)} after`"
              @click="move(place, 1)"
            />
            <Button
              icon="pi pi-trash"
              size="small"
              text
              severity="secondary"
              :aria-label="`Take ${nameOf(one)} out`"
              @click="setAdjustments(edited.adjustments.toSpliced(place, 1))"
            />
          </span>
        </div>
        <AdjustmentEditor
          v-if="open === one.id"
          :adjustment="one"
          :schema="tunable.schema"
          :types="types"
          :measures="measures"
          @change="(now) => setAdjustments(edited.adjustments.with(place, now))"
        />
      </li>
    </ol>
    <p v-else class="muted">None: everybody gets the same, always.</p>
    <div v-if="isBehind" class="behind" role="alert">
      <p>{{ tunable.editedBy ?? 'Somebody' }} has changed this meanwhile:</p>
      <ul>
        <li v-for="words in meanwhile" :key="words">{{ words }}</li>
      </ul>
      <Button label="Take theirs" size="small" severity="secondary" outlined @click="takeTheirs" />
      <Button label="Keep mine" size="small" text @click="seen = told" />
    </div>
    <ul v-if="isChanged && mistakes.length > 0" class="wrong" role="alert">
      <li v-for="one in mistakes" :key="one.pointer + one.detail">{{ one.detail }}</li>
    </ul>
    <p v-else-if="served" class="wrong" role="alert">{{ served }}</p>
    <footer>
      <Button
        v-if="mayEdit"
        label="Put it into the draft"
        size="small"
        :disabled="!isChanged || isBehind || mistakes.length > 0 || wrong !== undefined"
        @click="emit('put', plain(edited))"
      />
      <Button
        v-if="isChanged"
        label="Leave it"
        size="small"
        text
        severity="secondary"
        @click="edited = plain(tunedOf(tunable))"
      />
      <Button
        v-if="mayEdit && tunable.isEdited && !isChanged"
        label="Back to what is published"
        size="small"
        text
        @click="emit('putBack')"
      />
      <span class="muted asked">
        {{
          tunable.asked.length === 0
            ? 'No build has asked for it yet'
            : `Asked for ${tunable.asked.map(({ build, at }) => `by ${build === '' ? 'a build without a version' : `build ${build}`}, ${agoInWords(at)}`).join('; ')}`
        }}
        <button v-if="mayRemove && !isRemoving" type="button" class="link" @click="isRemoving = true">
          Remove it …
        </button>
      </span>
    </footer>
    <div v-if="isRemoving" class="remove" role="alertdialog">
      <span>
        Take {{ name }} out of the manifest, as its next version? Builds that read it fall back on what they have built
        in.
      </span>
      <Button label="Remove it" size="small" severity="danger" @click="((isRemoving = false), emit('remove'))" />
      <Button label="Keep it" size="small" text severity="secondary" @click="isRemoving = false" />
    </div>
  </section>
</template>

<style scoped>
.tunable {
  padding: 1.2rem 1.5rem;
}

header,
.heading,
footer,
.summary,
.remove {
  display: flex;
  gap: 0.8rem;
  align-items: baseline;
}

.remove {
  margin-top: 0.6rem;
  align-items: center;
}

h3 {
  margin: 1.1rem 0 0.4rem;
}

p {
  margin: 0.3rem 0;
}

.hint {
  font-size: 0.94rem;
}

.edited {
  color: var(--route);
}

ol {
  display: grid;
  gap: 0.5rem;
  margin: 0;
  padding: 0;
  list-style: none;
}

ol > li {
  padding: 0.5rem 0 0;
  border-top: 1px solid var(--line);
}

.summary {
  align-items: center;
}

.words {
  flex: 1;
}

.state {
  flex: none;
  min-width: 4.6rem;
  padding: 0 0.5rem;
  border-radius: 3px;
  font-size: 0.86rem;
  text-align: center;
}

.state.running {
  background: var(--good-soft);
  color: var(--good);
  font-weight: 700;
}

.state.to-come {
  border: 1px dashed var(--earth);
  color: var(--earth);
}

.state.past {
  color: var(--p-text-muted-color);
}

.name,
.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--p-primary-color);
  font-size: inherit;
  text-align: left;
  cursor: pointer;
}

.name {
  font-weight: 700;
}

.link {
  text-decoration: underline;
}

.acts {
  white-space: nowrap;
}

.wrong {
  color: var(--route);
}

.behind {
  margin-top: 0.8rem;
  padding: 0.6rem 0.9rem;
  border-left: 3px solid var(--route);
  background: var(--route-soft);
}

footer {
  margin-top: 1rem;
  align-items: center;
}

.asked {
  margin-left: auto;
  font-size: 0.94rem;
}
</style>
