<script setup lang="ts">
import type { Manifest } from '@vekkon/core';
import type { Gift, GiftPlayers } from '@vekkon/protocol';
import Button from 'primevue/button';
import ProgressBar from 'primevue/progressbar';
import { computed, ref } from 'vue';
import NewGift from '../components/gifts/NewGift.vue';
import ProblemNotice from '../components/ProblemNotice.vue';
import { refreshing } from '../refreshing.js';
import { useSignedIn } from '../signed-in.js';
import { changeInWords, numberInWords, timeInWords } from '../words.js';

/** The same for many players at once: given, stopped, taken back. */
const { calls, operator } = useSignedIn();
const mayGive = computed(() => ['support', 'designer', 'admin'].includes(operator.value?.role ?? 'viewer'));
const gifts = ref<readonly Gift[]>();
const manifest = ref<Manifest>();
const isNew = ref(false);
const problem = ref<unknown>();
/** Whose list of refusals is open. */
const open = ref<{ readonly gift: number; readonly players: GiftPlayers['players'] }>();
const asked = ref<number>();

async function load(): Promise<void> {
  try {
    manifest.value ??= (await calls.value.manifest()).manifest;
    gifts.value = (await calls.value.gifts.list()).gifts;
    problem.value = undefined;
  } catch (error) {
    problem.value = error;
  }
}

async function direct(what: 'stop' | 'resume' | 'takeBack', gift: number): Promise<void> {
  asked.value = undefined;
  try {
    await calls.value.gifts[what](gift);
  } catch (error) {
    problem.value = error;
  }
  await load();
}

async function showRefused({ number, state }: Gift): Promise<void> {
  if (open.value?.gift === number) return void (open.value = undefined);
  const which = state.startsWith('tak') ? 'kept' : 'refused';
  const { players } = await calls.value.gifts.players(number, { state: which, count: 200 });
  open.value = { gift: number, players };
}

const states = {
  gathering: 'being prepared',
  giving: 'being given',
  stopped: 'stopped',
  given: 'given',
  'taking-back': 'being taken back',
  'taken-back': 'taken back',
} as const;

const isUnderWay = ({ state }: Gift) => state === 'giving' || state === 'taking-back';
const what = ({ changes, asOf }: Gift) =>
  changes === null ? `what they had at ${timeInWords(asOf)}` : changes.map(changeInWords).join(', ');

refreshing(load, { topics: ['gifts'] });
</script>

<template>
  <div class="head">
    <h1>Gifts</h1>
    <Button v-if="mayGive && !isNew" label="New gift" size="small" @click="isNew = true" />
  </div>
  <p class="muted">
    The same changes for many players at once, or what they had at a moment. Each gets it once; within a day it can be
    taken back.
  </p>
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <NewGift v-if="isNew && manifest" :manifest="manifest" @given="((isNew = false), load())" @left="isNew = false" />
  <div v-if="gifts?.length === 0" class="sheet none">Nothing was given to many yet.</div>
  <article v-for="one in gifts" :key="one.number" class="sheet gift" :aria-label="one.label">
    <div class="line">
      <h2>{{ one.label }}</h2>
      <span :class="['state', one.state]">{{ states[one.state] }}</span>
      <span class="muted">no. {{ one.number }}, {{ timeInWords(one.at) }} by {{ one.by }}</span>
    </div>
    <p>{{ what(one) }}; to {{ one.audience }}</p>
    <ProgressBar v-if="isUnderWay(one)" :value="Math.floor(one.share * 100)" />
    <div class="line">
      <span
        >{{ numberInWords(one.given) }} have it<template v-if="one.state.startsWith('tak')"
          >, taken back from {{ numberInWords(one.takenBack) }}</template
        ></span
      >
      <Button
        v-if="one.refused > 0 || one.kept > 0"
        size="small"
        text
        :label="
          one.state.startsWith('tak')
            ? `kept by ${numberInWords(one.kept)}`
            : `refused for ${numberInWords(one.refused)}`
        "
        :aria-expanded="open?.gift === one.number"
        @click="showRefused(one)"
      />
      <template v-if="mayGive">
        <Button
          v-if="one.state === 'giving'"
          size="small"
          severity="secondary"
          outlined
          label="Stop"
          @click="direct('stop', one.number)"
        />
        <Button
          v-if="one.state === 'stopped'"
          size="small"
          severity="secondary"
          outlined
          label="Go on"
          @click="direct('resume', one.number)"
        />
        <template v-if="one.takenBackUntil !== null">
          <span v-if="asked === one.number" role="alertdialog" aria-label="Take back"
            >From {{ numberInWords(one.given) }} players?
            <Button size="small" severity="danger" label="Take it back" @click="direct('takeBack', one.number)" />
            <Button size="small" severity="secondary" text label="Leave it" @click="asked = undefined"
          /></span>
          <Button
            v-else
            size="small"
            severity="secondary"
            outlined
            label="Take back"
            :title="`until ${timeInWords(one.takenBackUntil)}`"
            @click="asked = one.number"
          />
        </template>
      </template>
    </div>
    <table v-if="open?.gift === one.number">
      <tbody>
        <tr v-for="player in open.players" :key="player.player">
          <td>
            <RouterLink :to="{ name: 'player', params: { id: player.player } }">{{ player.player }}</RouterLink>
          </td>
          <td>{{ player.detail }}</td>
        </tr>
      </tbody>
    </table>
  </article>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
}

.none,
.gift {
  margin-top: 0.9rem;
  padding: 1rem 1.4rem;
}

.line {
  display: flex;
  flex-wrap: wrap;
  gap: 0.9rem;
  align-items: center;
}

.gift h2 {
  margin: 0;
}

.gift p {
  margin: 0.3rem 0 0.5rem;
}

.state {
  padding: 0.05rem 0.6rem;
  border-radius: 3px;
  background: var(--good-soft);
  color: var(--good);
}

.state.stopped,
.state.taken-back,
.state.taking-back {
  background: var(--route-soft);
  color: var(--route);
}

table {
  width: 100%;
  margin-top: 0.6rem;
  border-collapse: collapse;
}

td {
  padding: 0.25rem 0.9rem 0.25rem 0;
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}
</style>
