<script setup lang="ts">
import {
  declaredPart,
  differenceInWords,
  equalJson,
  mendingChanges,
  valueDifferences,
  type Change,
  type InventoryValue,
  type Json,
  type Manifest,
  type ScoreValue,
  type StoredRecord,
} from '@vekkon/core';
import type { PlayerDetails } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import InputText from 'primevue/inputtext';
import { computed, ref, shallowRef, watch } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import { hostInWords, valueInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';
import { plain } from '../tuning/tuned.js';
import ValueEditor from '../values/ValueEditor.vue';
import InventoryEditor from './InventoryEditor.vue';

/** A player's records, changed by hand: several edits are gathered, shown as a difference, and sent as one. */
const { player, manifest } = defineProps<{ player: PlayerDetails; manifest: Manifest }>();
const emit = defineEmits<{ changed: [] }>();

interface Edit {
  /** What was read when it began. */
  readonly was: StoredRecord;
  readonly is: Json;
  /** A result to submit, in place of a value. */
  readonly result?: number | undefined;
}

const { calls } = useSignedIn();
const edits = shallowRef<ReadonlyMap<string, Edit>>(new Map());
const wrong = shallowRef<ReadonlyMap<string, string>>(new Map());
const reason = ref('');
const problem = ref<unknown>();
const refused = ref('');
const said = ref('');
const isSending = ref(false);
/** The same for every try to send what is gathered now. */
const token = ref(crypto.randomUUID());

const keys = computed(() => [...new Set([...Object.keys(player.records), ...edits.value.keys()])].sort());
const declarationOf = (key: string) => manifest.records[declaredPart(key)];
const kindOf = (key: string) => key.slice(0, key.indexOf('/'));

function schemaOf(key: string): Json {
  const declaration = declarationOf(key);
  return declaration !== undefined && 'schema' in declaration ? (declaration.schema as Json) : true;
}

/** What a record holds, on one line. */
function heldInWords(key: string): string {
  const value = player.records[key]?.value;
  if (kindOf(key) === 'score') {
    const { best, count } = value as unknown as ScoreValue;
    return count === 0 ? 'no result yet' : `best ${best}, ${count} results`;
  }
  if (kindOf(key) !== 'inventory') return valueInWords(value);
  const { stacks, pieces } = value as unknown as InventoryValue;
  const held = [
    ...Object.entries(stacks).map(([item, count]) => `${count} ${item}`),
    ...Object.values(pieces).map(({ item }) => item),
  ];
  return held.length === 0 ? 'nothing in it' : held.join(', ');
}

function begin(key: string): void {
  const was = plain(player.records[key]) as StoredRecord;
  edits.value = new Map([...edits.value, [key, { was, is: was.value }]]);
  said.value = '';
}

function without<Value>(map: ReadonlyMap<string, Value>, key: string): ReadonlyMap<string, Value> {
  return new Map([...map].filter(([one]) => one !== key));
}

function leave(key: string): void {
  edits.value = without(edits.value, key);
  wrong.value = without(wrong.value, key);
}

function set(key: string, more: Partial<Edit>): void {
  const edit = edits.value.get(key);
  if (edit !== undefined) edits.value = new Map([...edits.value, [key, { ...edit, ...more }]]);
  token.value = crypto.randomUUID();
  refused.value = '';
}

function noteWrong(key: string, detail: string | undefined): void {
  wrong.value = detail === undefined ? without(wrong.value, key) : new Map([...wrong.value, [key, detail]]);
}

/** What nobody has written into yet follows what is stored. */
watch(
  () => player.records,
  (records) => {
    for (const [key, { was, is, result }] of edits.value) {
      const isUntouched = result === undefined && equalJson(plain(is), plain(was.value));
      if (isUntouched && records[key] !== undefined && records[key].revision !== was.revision) begin(key);
    }
  },
);

/** What somebody else changed of it since the edit began. */
function meanwhile(key: string, { was }: Edit): string {
  const words = valueDifferences(was.value, player.records[key]?.value).map(differenceInWords);
  return words.length <= 3 ? words.join(', ') : `${words.slice(0, 3).join(', ')} and ${words.length - 3} more`;
}

/** A whole value that somebody else has changed since the edit began; balances and items move by what they differ. */
function isBehind(key: string, edit: Edit): boolean {
  const isWhole = !['currency', 'inventory', 'score'].includes(kindOf(key));
  return isWhole && player.records[key] !== undefined && player.records[key].revision !== edit.was.revision;
}

interface Gathered {
  readonly key: string;
  readonly words: readonly string[];
  readonly changes: readonly Change[];
  readonly mistake: string | undefined;
}

const byKey = ([one]: readonly [string, Edit], [other]: readonly [string, Edit]) => (one < other ? -1 : 1);
const gathered = computed<readonly Gathered[]>(() =>
  [...edits.value].toSorted(byKey).flatMap(([key, { was, is, result }]): readonly Gathered[] => {
    if (kindOf(key) === 'score') {
      if (result === undefined) return [];
      return [
        { key, words: [`a result of ${result}`], changes: [{ op: 'submit', key, value: result }], mistake: undefined },
      ];
    }
    const changes = mendingChanges(key, was, plain(is), reason.value.trim());
    if ('problem' in changes) return [{ key, words: [], changes: [], mistake: changes.problem.detail }];
    if (changes.length === 0) return [];
    const words = valueDifferences(was.value, is).map(differenceInWords);
    return [{ key, words, changes, mistake: wrong.value.get(key) }];
  }),
);
const mistakes = computed(() => gathered.value.filter(({ mistake }) => mistake !== undefined));
const maySend = computed(
  () => gathered.value.length > 0 && mistakes.value.length === 0 && reason.value.trim() !== '' && !isSending.value,
);

async function send(): Promise<void> {
  isSending.value = true;
  problem.value = undefined;
  try {
    const changes = plain(gathered.value.flatMap((one) => one.changes));
    const label = reason.value.trim().slice(0, 200);
    const answer = await calls.value.change(player.id, token.value, [{ label, changes }]);
    const [outcome] = answer.transactions;
    token.value = crypto.randomUUID();
    if (outcome !== undefined && !outcome.applied) {
      refused.value = outcome.problem.detail ?? outcome.problem.code;
      return;
    }
    const host = player.sessionOn === null ? '' : ` ${hostInWords(player.sessionOn)} was told.`;
    said.value = `Changed: ${gathered.value.map(({ key }) => key).join(', ')}.${host}`;
    edits.value = new Map();
    wrong.value = new Map();
    reason.value = '';
    emit('changed');
  } catch (error) {
    problem.value = error;
  } finally {
    isSending.value = false;
  }
}
</script>

<template>
  <p v-if="player.sessionOn" class="held" role="note">
    They are in a session on {{ hostInWords(player.sessionOn) }}: the host hears of every change at once.
  </p>
  <p v-if="said" class="said" role="status">{{ said }}</p>
  <ul class="records">
    <li v-for="key in keys" :key="key" class="sheet" :data-mend="key">
      <div class="facts">
        <h3>{{ key }}</h3>
        <span v-if="!edits.has(key)" class="muted value">{{ heldInWords(key) }}</span>
        <span class="spacer" />
        <Button
          v-if="!edits.has(key)"
          size="small"
          label="Change"
          outlined
          :aria-label="`Change ${key}`"
          @click="begin(key)"
        />
        <Button v-else size="small" label="Leave it" severity="secondary" text @click="leave(key)" />
      </div>
      <template v-if="edits.get(key)">
        <p v-if="isBehind(key, edits.get(key)!)" class="behind" role="alert">
          It was changed meanwhile, by revision {{ player.records[key]?.revision }}:
          {{ meanwhile(key, edits.get(key)!) }}.
          <Button size="small" label="Begin anew from that" text @click="begin(key)" />
        </p>
        <InputNumber
          v-if="kindOf(key) === 'currency'"
          :model-value="Number(edits.get(key)!.is)"
          size="small"
          :use-grouping="false"
          :max-fraction-digits="0"
          locale="en-GB"
          :aria-label="`Balance of ${key}`"
          @input="({ value }) => typeof value === 'number' && set(key, { is: value })"
        />
        <InventoryEditor
          v-else-if="kindOf(key) === 'inventory'"
          :value="edits.get(key)!.is as unknown as InventoryValue"
          :items="manifest.items"
          @change="(is) => set(key, { is: is as unknown as Json })"
        />
        <label v-else-if="kindOf(key) === 'score'" class="result">
          Submit a result
          <InputNumber
            :model-value="edits.get(key)!.result ?? null"
            size="small"
            :use-grouping="false"
            :max-fraction-digits="6"
            locale="en-GB"
            :aria-label="`A result for ${key}`"
            @input="({ value }) => set(key, { result: typeof value === 'number' ? value : undefined })"
          />
          <span class="muted">Results are taken off on the page <RouterLink to="/boards">Boards</RouterLink>.</span>
        </label>
        <ValueEditor
          v-else
          :value="edits.get(key)!.is"
          :schema="schemaOf(key)"
          :label="key"
          @change="(is) => set(key, { is })"
          @wrong="(detail) => noteWrong(key, detail)"
        />
      </template>
    </li>
  </ul>
  <section v-if="edits.size > 0" class="sheet sending" aria-label="What will be sent">
    <h2>What will be sent</h2>
    <p v-if="gathered.length === 0" class="muted">Nothing is different yet.</p>
    <dl v-else>
      <template v-for="one in gathered" :key="one.key">
        <dt>{{ one.key }}</dt>
        <dd>
          <span v-if="one.mistake" class="wrong">{{ one.mistake }}</span>
          <span v-for="(words, index) in one.words" :key="index" class="difference">{{ words }}</span>
        </dd>
      </template>
    </dl>
    <ProblemNotice v-if="problem" :problem="problem" @again="send" />
    <p v-if="refused" class="wrong" role="alert">Nothing was changed: {{ refused }}</p>
    <form @submit.prevent="maySend && send()">
      <InputText v-model="reason" size="small" placeholder="Why?" aria-label="Why?" maxlength="200" />
      <Button type="submit" size="small" label="Send all of it" :disabled="!maySend" />
    </form>
  </section>
</template>

<style scoped>
ul.records {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.5rem;
  margin: 0;
  padding: 0;
  list-style: none;
}

.records li {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  justify-items: start;
  gap: 0.6rem;
  padding: 0.55rem 1rem;
}

.facts {
  display: flex;
  gap: 1rem;
  align-items: center;
  width: 100%;
}

.facts h3 {
  flex: none;
}

.value {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.spacer {
  flex: 1;
}

.held,
.said {
  margin: 0 0 0.8rem;
}

.behind,
.wrong {
  margin: 0;
  color: var(--route);
}

.result {
  display: flex;
  gap: 0.8rem;
  align-items: center;
  flex-wrap: wrap;
}

.sending {
  position: sticky;
  bottom: 0.6rem;
  z-index: 1;
  max-height: 45vh;
  margin-top: 1rem;
  padding: 0.8rem 1.2rem 1rem;
  overflow: auto;
  border-left: 4px solid var(--earth);
  box-shadow: 0 2px 14px rgb(0 0 0 / 12%);
}

dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0.25rem 1.2rem;
  margin: 0.5rem 0 0.7rem;
}

dt {
  font-weight: 700;
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

.difference {
  display: block;
}

form {
  display: flex;
  gap: 0.7rem;
}

form input {
  flex: 1 1 14rem;
}
</style>
