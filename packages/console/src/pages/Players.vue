<script setup lang="ts">
import type { PlayerList } from '@vekkon/protocol';
import Button from 'primevue/button';
import Column from 'primevue/column';
import DataTable, { type DataTableRowClickEvent } from 'primevue/datatable';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import Skeleton from 'primevue/skeleton';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import FoundByBar from '../components/players/FoundByBar.vue';
import { askedFor, type Ordered } from '../components/players/ordered.js';
import ProblemNotice from '../components/ProblemNotice.vue';
import { refreshing } from '../refreshing.js';
import { serviceUrl, useSignedIn } from '../signed-in.js';
import { agoInWords, hostInWords, numberInWords, timeInWords } from '../words.js';

const perPage = 50;
const origin = serviceUrl;
const { calls } = useSignedIn();
const router = useRouter();
const search = ref('');
/** Which of them are shown. */
const everybody = 'Everybody';
const choices = [everybody, 'In a session now', 'Joined in the last hour', 'With unsettled transactions'] as const;
const chosen = ref<(typeof choices)[number]>(everybody);
const filters = () => ({
  ...(chosen.value === choices[1] && { inSession: 'true' as const }),
  ...(chosen.value === choices[2] && { joinedSince: new Date(Date.now() - 3_600_000).toISOString() }),
  ...(chosen.value === choices[3] && { hasUnsettled: 'true' as const }),
});
type Listed = PlayerList['players'][number];
const ordered = ref<Ordered>({ what: 'joined', from: '', to: '', isAscending: false });
/** What stands in the column of what players were found by. */
const foundIn = computed(() => {
  const { what } = ordered.value;
  return what.startsWith('on ') ? 'Place' : what.startsWith('by ') ? what.slice('by '.length) : undefined;
});
const players = ref<Listed[]>();
const total = ref(0);
const isCapped = ref(false);
const next = ref<string | null>(null);
const problem = ref<unknown>();

/** The answer to an older search that comes late is left out. */
let newestAsk = 0;

async function load(): Promise<void> {
  const ask = ++newestAsk;
  try {
    const count = Math.min(200, Math.max(perPage, players.value?.length ?? 0));
    const query = { search: search.value.trim(), count, ...filters(), ...askedFor(ordered.value) };
    const page = await calls.value.players(query);
    if (ask !== newestAsk) return;
    players.value = page.players;
    total.value = page.total;
    isCapped.value = page.isCapped;
    next.value = page.next;
    problem.value = undefined;
  } catch (error) {
    if (ask === newestAsk) problem.value = error;
  }
}

async function loadMore(): Promise<void> {
  if (next.value === null) return;
  const page = await calls.value.players({
    ...{ search: search.value.trim(), count: perPage, after: next.value },
    ...filters(),
    ...askedFor(ordered.value),
  });
  newestAsk++;
  players.value = [...(players.value ?? []), ...page.players];
  next.value = page.next;
}

function open(event: DataTableRowClickEvent): void {
  void router.push({ name: 'player', params: { id: (event.data as Listed).id } });
}

watch(
  [search, chosen, ordered],
  () => {
    players.value = players.value?.slice(0, perPage);
    void load();
  },
  { deep: true },
);
refreshing(load);
</script>

<template>
  <div class="head">
    <div>
      <h1>Players</h1>
      <p class="muted">
        {{
          players ? `${isCapped ? 'More than ' : ''}${numberInWords(total)} ${total === 1 ? 'player' : 'players'}` : ' '
        }}
      </p>
    </div>
    <Select v-model="chosen" class="which" :options="[...choices]" size="small" aria-label="Which players" />
    <label class="search">
      <i class="pi pi-search" aria-hidden="true" />
      <InputText
        v-model="search"
        type="search"
        placeholder="Find by name or id"
        aria-label="Find by name or id"
        autofocus
      />
    </label>
  </div>
  <FoundByBar v-model="ordered" />
  <ProblemNotice v-if="problem" :problem="problem" @again="load" />
  <div v-if="players === undefined && !problem" class="sheet waiting">
    <Skeleton v-for="line in 8" :key="line" height="1.6rem" />
  </div>
  <div v-else-if="players?.length === 0" class="sheet empty">
    <template v-if="chosen !== everybody">
      <h2>Nobody is among them</h2>
      <p>Choose “{{ everybody }}” to see all players again.</p>
    </template>
    <template v-else-if="foundIn">
      <h2>Nobody is found by {{ foundIn === 'Place' ? 'their place' : foundIn }} there</h2>
      <p>Leave the fields beside it empty to see all who hold something there.</p>
    </template>
    <template v-else-if="search.trim() === ''">
      <h2>Nobody has joined yet</h2>
      <p>A player appears here at their first join. Try one with the host key:</p>
      <pre>
curl -X POST -H 'Authorization: Bearer HOST-KEY' \
  {{ origin }}/v1/players/p-1/join -d '{"host": "my-laptop"}'</pre>
    </template>
    <template v-else>
      <h2>Nobody matches “{{ search.trim() }}”</h2>
      <p>A part of the id or of the display name is enough. Ids never change, names may.</p>
    </template>
  </div>
  <div v-else-if="players" class="sheet">
    <DataTable :value="players" data-key="id" row-hover @row-click="open">
      <Column header="Player">
        <template #body="{ data }">
          <RouterLink class="name" :to="{ name: 'player', params: { id: data.id } }" @click.stop>{{
            data.name ?? data.id
          }}</RouterLink>
        </template>
      </Column>
      <Column header="Id">
        <template #body="{ data }"
          ><span class="muted numerals">{{ data.id }}</span></template
        >
      </Column>
      <Column v-if="foundIn" :header="foundIn">
        <template #body="{ data }"
          ><span class="numerals">{{
            typeof data.found === 'number' ? numberInWords(data.found) : (data.found ?? '–')
          }}</span></template
        >
      </Column>
      <Column header="In session on">
        <template #body="{ data }">
          <span v-if="data.sessionOn" class="in-session" :title="data.sessionOn">{{
            hostInWords(data.sessionOn)
          }}</span>
          <span v-else class="muted">–</span>
        </template>
      </Column>
      <Column header="Last joined">
        <template #body="{ data }"
          ><span :title="timeInWords(data.lastJoinedAt)">{{ agoInWords(data.lastJoinedAt) }}</span></template
        >
      </Column>
      <Column header="First seen">
        <template #body="{ data }">{{ timeInWords(data.createdAt) }}</template>
      </Column>
    </DataTable>
    <div v-if="next" class="more">
      <Button label="Show more" severity="secondary" outlined size="small" @click="loadMore" />
    </div>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  gap: 0.8rem;
  align-items: end;
  margin-bottom: 1.1rem;
}

.head > div {
  flex: 1;
}

.head > .which {
  flex: none;
  width: 15rem;
}

.head p {
  margin: 0.2rem 0 0;
}

.search {
  position: relative;
}

.search i {
  position: absolute;
  left: 0.8rem;
  top: 50%;
  translate: 0 -50%;
  color: var(--p-text-muted-color);
}

.search input {
  width: 20rem;
  padding-left: 2.3rem;
}

.sheet {
  overflow: hidden;
}

.sheet :deep(tbody tr) {
  cursor: pointer;
}

.name {
  font-weight: 700;
  text-decoration: none;
}

.in-session {
  padding: 0.1rem 0.6rem;
  border-radius: 3px;
  background: var(--good-soft);
  color: var(--good);
  font-weight: 500;
}

.waiting {
  display: grid;
  gap: 1rem;
  padding: 1.4rem;
}

.empty {
  padding: 2.2rem 2.4rem;
}

.empty pre {
  padding: 0.9rem 1.1rem;
  background: var(--ground);
  border-radius: 4px;
  overflow-x: auto;
}

.more {
  padding: 0.8rem;
  text-align: center;
}
</style>
