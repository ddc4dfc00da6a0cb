<script setup lang="ts">
import type { EditionSummary } from '@vekkon/protocol';
import Button from 'primevue/button';
import { ref } from 'vue';
import { refreshing } from '../../refreshing.js';
import { useSignedIn } from '../../signed-in.js';
import { timeInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';
import ReasonAsk from '../ReasonAsk.vue';

/** What was published, the newest first; an earlier one can be published again. */
const { running, mayPublish } = defineProps<{ running: number; mayPublish: boolean }>();
const emit = defineEmits<{ published: [] }>();
const { calls } = useSignedIn();
const editions = ref<readonly EditionSummary[]>([]);
const next = ref<number | null>(null);
const problem = ref<unknown>();
const asked = ref<number>();
const shown = ref(30);

async function load(): Promise<void> {
  try {
    const list = await calls.value.tuning.editions({ count: shown.value });
    editions.value = list.editions;
    next.value = list.next;
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

async function reissue(note: string): Promise<void> {
  if (asked.value === undefined) return;
  try {
    await calls.value.tuning.reissue(asked.value, { note });
    emit('published');
  } catch (error) {
    problem.value = error;
  }
  asked.value = undefined;
  await load();
}

function more(): void {
  shown.value = Math.min(200, shown.value + 30);
  void load();
}

refreshing(load, { topics: ['tuning'] });
</script>

<template>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <div v-if="editions.length === 0 && !problem" class="sheet none">
    <h2>Nothing was published yet</h2>
    <p>All tunables are as the manifest says.</p>
  </div>
  <ol v-else class="sheets">
    <li v-for="one in editions" :key="one.edition" class="sheet">
      <div class="facts">
        <b>Edition {{ one.edition }}</b>
        <span v-if="one.edition === running" class="runs">runs now</span>
        <span
          >{{ one.note }}<template v-if="one.reissueOf !== null"> (edition {{ one.reissueOf }} again)</template></span
        >
        <span class="muted">{{ timeInWords(one.at) }} by {{ one.by }}</span>
        <Button
          v-if="one.edition !== running && mayPublish"
          label="Publish it again"
          size="small"
          text
          @click="asked = one.edition"
        />
      </div>
      <ul>
        <li v-for="words in one.differences" :key="words">{{ words }}</li>
        <li v-if="one.differences.length === 0" class="muted">nothing is another</li>
      </ul>
      <ReasonAsk
        v-if="asked === one.edition"
        class="ask"
        :what="`Edition ${one.edition} takes the place of edition ${running} for all players, as a new one.`"
        label="Publish it again"
        @done="reissue"
        @left="asked = undefined"
      />
    </li>
  </ol>
  <Button v-if="next !== null && shown < 200" label="Earlier ones" size="small" text @click="more" />
</template>

<style scoped>
ul {
  margin: 0.4rem 0 0;
  padding-left: 1.2rem;
}

.runs {
  padding: 0 0.5rem;
  border-radius: 3px;
  background: var(--good-soft);
  color: var(--good);
  font-weight: 700;
}
</style>
