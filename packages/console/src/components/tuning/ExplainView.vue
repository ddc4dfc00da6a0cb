<script setup lang="ts">
import { checkPlainly, type Manifest } from '@vekkon/core';
import {
  readEdition,
  Tuning,
  type Attributes,
  type AttributeValue,
  type EditionContent,
  type TuningRules,
} from '@vekkon/core/tuning';
import type { Draft, EditionSummary } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, onMounted, ref, shallowRef, watch } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import { timeInWords, valueInWords } from '../../words.js';
import { plain, rulesOfDraft } from './tuned.js';

/** What somebody gets, and why: answered here by the same rules that the service and the games have. */
const { draft, running, manifest, first } = defineProps<{
  draft: Draft;
  running: TuningRules;
  manifest: Manifest;
  /** Who is looked at to begin with. */
  first: string | undefined;
}>();
const { calls } = useSignedIn();
const typed = ref(first ?? '');
const player = ref<string>();
const known = ref<Attributes>({});
const said = ref('');
const by = ref('running');
/** Editions of before, and the rules of those that were looked at. */
const editions = ref<readonly EditionSummary[]>([]);
const earlier = shallowRef<{ readonly [edition: string]: TuningRules }>({});
const moment = ref('');
const choices = computed(() => [
  { value: 'running', label: `edition ${draft.edition}, which runs` },
  { value: 'draft', label: 'the draft' },
  ...editions.value
    .filter(({ edition }) => edition !== draft.edition)
    .map(({ edition, note }) => ({ value: String(edition), label: `edition ${edition}: ${note}` })),
]);
const rules = computed(() =>
  by.value === 'draft' ? rulesOfDraft(draft, running.types) : (earlier.value[by.value] ?? running),
);
const at = computed(() => (moment.value === '' ? Date.now() : new Date(moment.value).getTime()));
const who = computed(() => ({ ...(player.value !== undefined && { player: player.value }), attributes: known.value }));
const lines = computed(() => {
  const tuning = new Tuning(rules.value);
  return tuning.names.flatMap((name) => {
    const explained = tuning.explain(name, who.value, at.value);
    return explained === undefined ? [] : [{ name, ...explained }];
  });
});
const names = computed(() => Object.keys(running.types).filter((one) => one !== 'player'));

/** An earlier edition as it would be read now. */
watch(by, async (edition) => {
  if (edition === 'running' || edition === 'draft' || earlier.value[edition] !== undefined) return;
  const { tunables } = await calls.value.tuning.edition(Number(edition));
  const content = plain(tunables) as unknown as EditionContent;
  const { rules: read } = readEdition(content, { manifest, check: checkPlainly });
  earlier.value = { ...earlier.value, [edition]: read };
});
onMounted(async () => {
  if (first !== undefined) await find();
  editions.value = (await calls.value.tuning.editions({ count: 30 })).editions;
});

/** By id, or by a part of the name: the first that is found. */
async function find(): Promise<void> {
  said.value = '';
  const text = typed.value.trim();
  if (text === '') {
    player.value = undefined;
    known.value = {};
    return;
  }
  const { players } = await calls.value.players({ search: text, count: 1 });
  const id = players[0]?.id;
  if (id === undefined) {
    said.value = `Nobody matches “${text}”.`;
    return;
  }
  const { attributes } = await calls.value.tuning.explain({ player: id });
  player.value = id;
  known.value = attributes;
  if (draft.edition > 0 && (await calls.value.tuning.testers()).includes(id)) by.value = 'draft';
}

function set(name: string, text: string): void {
  const { [name]: _, ...rest } = known.value;
  known.value = text === '' ? rest : { ...rest, [name]: valueTyped(name, text) };
}

function valueTyped(name: string, text: string): AttributeValue {
  const type = running.types[name];
  if (type === 'number' && Number.isFinite(Number(text))) return Number(text);
  return type === 'boolean' ? text === 'true' : text;
}
</script>

<template>
  <div class="explain">
    <section class="sheet who" aria-label="Who">
      <form @submit.prevent="find">
        <InputText v-model="typed" type="search" size="small" placeholder="Find a player" aria-label="Find a player" />
        <Button type="submit" label="Find" size="small" severity="secondary" outlined />
      </form>
      <p role="status" class="muted">
        {{
          said ||
          (player
            ? `What is known of ${player}; change it to see what would be then`
            : 'Nobody in particular: type what is known')
        }}
      </p>
      <dl>
        <template v-for="name in names" :key="name">
          <dt>{{ name }}</dt>
          <dd>
            <InputText
              :model-value="known[name] === undefined ? '' : String(known[name])"
              size="small"
              placeholder="not known"
              :aria-label="name"
              @update:model-value="(text) => set(name, text ?? '')"
            />
          </dd>
        </template>
        <dt>by</dt>
        <dd>
          <Select
            v-model="by"
            :options="choices"
            option-label="label"
            option-value="value"
            size="small"
            aria-label="Edition"
          />
        </dd>
        <dt>at</dt>
        <dd>
          <input
            v-model="moment"
            class="p-inputtext p-component p-inputtext-sm"
            type="datetime-local"
            aria-label="At which moment"
          />
          <span class="muted">{{ moment === '' ? ' now' : '' }}</span>
        </dd>
      </dl>
    </section>
    <section class="sheet what" aria-label="What they get">
      <h2>
        {{ player ?? 'Nobody in particular' }}, {{ moment === '' ? 'now' : timeInWords(new Date(at).toISOString()) }}
      </h2>
      <article v-for="line in lines" :key="line.name">
        <h3>
          {{ line.name }} <b>{{ valueInWords(line.value) }}</b>
        </h3>
        <ul>
          <li v-for="one in line.tried" :key="one.adjustment" :class="one.failed === null ? 'won' : 'muted'">
            “{{ one.note ?? one.adjustment }}”
            {{
              one.failed === null
                ? line.trialValue === undefined
                  ? 'wins'
                  : `wins, with value ${line.trialValue + 1} of the trial`
                : `– ${one.failed}`
            }}
          </li>
          <li v-if="line.tried.every(({ failed }) => failed !== null)" class="won">
            the base value, by {{ line.from === 'edition' ? 'the edition' : 'the manifest' }}
          </li>
        </ul>
      </article>
    </section>
  </div>
</template>

<style scoped>
.explain {
  display: grid;
  grid-template-columns: 22rem 1fr;
  gap: 1.1rem;
  align-items: start;
}

.sheet {
  padding: 1.1rem 1.4rem;
}

form {
  display: flex;
  gap: 0.5rem;
}

dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0.4rem 0.8rem;
  align-items: center;
  margin: 0.6rem 0 0;
}

dd {
  margin: 0;
}

article {
  padding: 0.6rem 0;
  border-top: 1px solid var(--line);
}

article:first-of-type {
  margin-top: 0.6rem;
}

h3 {
  display: flex;
  gap: 1rem;
}

h3 b {
  color: var(--p-primary-color);
}

ul {
  margin: 0.2rem 0 0;
  padding-left: 1.2rem;
}

.won {
  color: var(--good);
}

p {
  margin: 0.4rem 0;
}
</style>
