<script setup lang="ts">
import type { ManifestDiffResponse, MistakeList } from '@vekkon/protocol';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import Textarea from 'primevue/textarea';
import { computed, ref, watch } from 'vue';
import { useSignedIn } from '../signed-in.js';
import ProblemNotice from './ProblemNotice.vue';

/** A manifest file is checked, compared with what is installed, and installed. */
const { text } = defineProps<{ text: string }>();
const emit = defineEmits<{ installed: [version: number] }>();

const { calls } = useSignedIn();
const written = ref<string>();
const mistakes = ref<MistakeList['mistakes']>();
const diff = ref<ManifestDiffResponse>();
const acceptsMisfits = ref(false);
const done = ref('');
const problem = ref<unknown>();
const misfits = computed(() => (diff.value?.misfits ?? []).reduce((sum, one) => sum + one.count, 0));
const canInstall = computed(
  () =>
    diff.value !== undefined &&
    diff.value.conflicts.length === 0 &&
    diff.value.differences.length > 0 &&
    (misfits.value === 0 || acceptsMisfits.value),
);

// What was found out is of the text as it was.
watch(written, () => {
  mistakes.value = undefined;
  diff.value = undefined;
  acceptsMisfits.value = false;
  problem.value = undefined;
});

async function open(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (file !== undefined) written.value = await file.text();
}

async function compare(): Promise<void> {
  done.value = '';
  problem.value = undefined;
  try {
    const manifest = written.value ?? text;
    mistakes.value = (await calls.value.checkManifest(manifest)).mistakes;
    diff.value = mistakes.value.length === 0 ? await calls.value.diffManifest(manifest) : undefined;
  } catch (error) {
    problem.value = error;
  }
}

async function install(): Promise<void> {
  try {
    const { version, unchanged } = await calls.value.installManifest(written.value ?? text, {
      acceptMisfits: acceptsMisfits.value,
    });
    done.value = unchanged ? `Version ${version} says the same: nothing changed.` : `Version ${version} is installed.`;
    written.value = undefined;
    diff.value = undefined;
    emit('installed', version);
  } catch (error) {
    problem.value = error;
  }
}
</script>

<template>
  <section aria-label="The next version">
    <h2>The next version</h2>
    <div class="sheet next">
      <Textarea
        :model-value="written ?? text"
        rows="12"
        spellcheck="false"
        aria-label="Manifest file"
        @update:model-value="(given) => (written = given as string)"
      />
      <div class="acts">
        <Button label="Check and compare" size="small" @click="compare" />
        <label class="file">or <u>open a file</u><input type="file" accept=".yaml,.yml,.json" @change="open" /></label>
      </div>
      <p v-if="done" role="status" class="done">{{ done }}</p>
      <ProblemNotice v-if="problem" :problem="problem" @again="compare" />
      <ul v-if="mistakes && mistakes.length > 0" class="mistakes" aria-label="Mistakes">
        <li v-for="(one, index) in mistakes" :key="index">
          <span class="numerals place">line {{ one.line }}, column {{ one.column }}</span> {{ one.detail }}
        </li>
      </ul>
      <div v-if="diff" aria-label="What it would change">
        <p v-if="diff.differences.length === 0" class="muted">Nothing is different from what is installed.</p>
        <ul class="differences">
          <li v-for="(one, index) in diff.differences" :key="index">
            <b>{{ one.what }}</b> {{ one.is }}<template v-if="one.detail">: {{ one.detail }}</template>
            <span v-if="one.breaks" class="breaks">may break</span>
          </li>
        </ul>
        <p v-for="one in diff.conflicts" :key="one" class="warning">{{ one }}</p>
        <p v-for="one in diff.tuning" :key="`${one.where} ${one.tunable} ${one.adjustment}`" class="warning">
          {{ one.where }}{{ one.isRunning ? ', which runs now' : '' }}: {{ one.tunable }} would count no more.
          {{ one.detail }}
        </p>
        <p v-for="one in diff.hosts" :key="`${one.host} ${one.version}`" class="warning">
          {{ one.host }} was built against version {{ one.version }} with {{ one.sessions }} in session:
          {{ one.breaks.map((broken) => `${broken.what} ${broken.detail}`).join('; ') }}.
        </p>
        <div v-if="misfits > 0" class="warning">
          {{ misfits }} stored records would no longer fit:
          <ul>
            <li v-for="one in diff.misfits" :key="one.key">
              {{ one.key }}: {{ one.count }}, such as {{ one.examples[0]?.player }}. {{ one.examples[0]?.detail }}
            </li>
          </ul>
          <label class="accept">
            <Checkbox v-model="acceptsMisfits" binary input-id="accept" />
            Keep them as misfits, read as starting values
          </label>
        </div>
        <Button
          v-if="diff.differences.length > 0"
          label="Install it, for all"
          size="small"
          :disabled="!canInstall"
          @click="install"
        />
      </div>
    </div>
  </section>
</template>

<style scoped>
section {
  margin-top: 1.5rem;
}

h2 {
  margin-bottom: 0.6rem;
}

.next {
  padding: 0.9rem 1rem 1rem;
}

textarea {
  width: 100%;
  font:
    0.84rem/1.4 ui-monospace,
    'DejaVu Sans Mono',
    monospace;
}

.acts {
  display: flex;
  align-items: center;
  gap: 1rem;
  margin: 0.6rem 0;
}

.file {
  color: var(--p-text-muted-color);
}

.file {
  cursor: pointer;
}

.file input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}

.file:focus-within {
  outline: 2px solid var(--route);
}

.mistakes,
.differences {
  margin: 0.4rem 0 0.8rem;
  padding: 0;
  list-style: none;
}

.mistakes li,
.differences li {
  padding: 0.25rem 0;
  border-bottom: 1px solid var(--line);
  overflow-wrap: anywhere;
}

.place,
.breaks {
  color: var(--route);
  font-weight: 500;
}

.warning {
  margin: 0.5rem 0;
  padding: 0.5rem 0.8rem;
  border-left: 4px solid var(--route);
  background: var(--ground);
}

.warning ul {
  margin: 0.3rem 0;
  padding-left: 1.1rem;
}

.breaks {
  margin-left: 0.4rem;
  white-space: nowrap;
}

.accept {
  display: flex;
  align-items: center;
  gap: 0.5rem;
}

.done {
  margin: 0.4rem 0;
  color: var(--good);
  font-weight: 500;
}
</style>
