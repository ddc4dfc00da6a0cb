<script setup lang="ts">
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, onMounted, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import mark from '../mark.svg';
import { useDaylight } from '../daylight.js';
import { nameOf, serviceUrl, useSignedIn } from '../signed-in.js';
import { refreshing } from '../refreshing.js';
import { refusedCredential } from '../refused.js';
import DisturbanceBanner from './DisturbanceBanner.vue';
import ProblemNotice from './ProblemNotice.vue';

const { operator, environments, environment, calls, load, choose, forget } = useSignedIn();
const { isNight, toggle } = useDaylight();
const route = useRoute();
const router = useRouter();
const problem = ref<unknown>();
const isLoaded = ref(false);
const origin = serviceUrl;
/** Results that wait for a person. */
const doubtful = ref(0);

const choices = computed(() =>
  environments.value.map((one) => ({ name: nameOf(one), label: `${one.title} · ${one.environment}` })),
);
const chosen = computed({
  get: () => (environment.value === undefined ? undefined : nameOf(environment.value)),
  set: (name: string | undefined) => {
    if (name === undefined) return;
    choose(name);
    void router.push('/overview');
  },
});

async function start(): Promise<void> {
  problem.value = undefined;
  try {
    await load();
    isLoaded.value = true;
  } catch (error) {
    if (refusedCredential(error)) return leave();
    problem.value = error;
  }
}

function leave(): void {
  forget();
  void router.push('/sign-in');
}

async function signOut(): Promise<void> {
  // Whatever becomes of the call, this browser forgets the token.
  await calls.value.signOut().catch(() => undefined);
  leave();
}

onMounted(start);
refreshing(countDoubtful);
watch([isLoaded, chosen], countDoubtful);

async function countDoubtful(): Promise<void> {
  if (!isLoaded.value || environments.value.length === 0) return;
  const found = await calls.value.boards.doubtful({ count: 1 }).catch(() => undefined);
  doubtful.value = found?.total ?? 0;
}
</script>

<template>
  <header>
    <RouterLink class="mark" to="/overview"><img :src="mark" alt="" width="30" height="30" />Vekkon</RouterLink>
    <nav aria-label="Pages">
      <RouterLink to="/overview" :class="{ here: route.path === '/overview' }">Overview</RouterLink>
      <RouterLink to="/players" :class="{ here: route.path.startsWith('/players') }">Players</RouterLink>
      <RouterLink to="/boards" :class="{ here: route.path === '/boards' }"
        >Boards<span v-if="doubtful > 0" class="count" :aria-label="`${doubtful} doubtful`">{{
          doubtful
        }}</span></RouterLink
      >
      <RouterLink to="/tuning" :class="{ here: route.path === '/tuning' }">Tuning</RouterLink>
      <RouterLink to="/gifts" :class="{ here: route.path === '/gifts' }">Gifts</RouterLink>
      <RouterLink to="/activity" :class="{ here: route.path === '/activity' }">Activity</RouterLink>
      <RouterLink to="/access" :class="{ here: route.path === '/access' }">Access</RouterLink>
      <RouterLink to="/manifest" :class="{ here: route.path === '/manifest' }">Manifest</RouterLink>
    </nav>
    <Select
      v-if="choices.length > 0"
      v-model="chosen"
      :options="choices"
      option-label="label"
      option-value="name"
      aria-label="Environment"
      size="small"
    />
    <span v-if="environment?.isLive" class="live">live</span>
    <span class="who"
      >{{ operator?.name }} <span class="muted">{{ operator?.role }}</span></span
    >
    <Button
      :icon="isNight ? 'pi pi-sun' : 'pi pi-moon'"
      :aria-label="isNight ? 'Switch to light' : 'Switch to dark'"
      severity="secondary"
      text
      rounded
      @click="toggle"
    />
    <Button class="out" label="Sign out" severity="secondary" text size="small" @click="signOut" />
  </header>
  <DisturbanceBanner v-if="isLoaded && environments.length > 0" :key="chosen ?? ''" />
  <main>
    <ProblemNotice v-if="problem" :problem="problem" @again="start" />
    <template v-else-if="isLoaded">
      <div v-if="environments.length === 0" class="sheet nothing">
        <h1>No game yet</h1>
        <p>Make one from its manifest, on the command line:</p>
        <pre>
vekkon sign-in --url {{ origin }}
vekkon game create manifest.yaml --environment dev</pre>
        <p>It prints the host key with which the game's first player can join.</p>
      </div>
      <slot v-else :key="chosen" />
    </template>
  </main>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 0.6rem;
  padding: 0.6rem 1.6rem;
  background: var(--p-content-background);
  border-bottom: 1px solid var(--line);
}

.mark {
  display: flex;
  align-items: center;
  gap: 0.6rem;
  font:
    700 1.35rem 'Alegreya Variable',
    Georgia,
    serif;
  color: inherit;
  text-decoration: none;
}

nav {
  display: flex;
  gap: 0;
  margin-right: auto;
  margin-left: 0.6rem;
}

nav a {
  padding: 0.3rem 0.6rem;
  white-space: nowrap;
  color: inherit;
  text-decoration: none;
  border-bottom: 2px solid transparent;
}

nav a.here {
  border-bottom-color: var(--route);
  font-weight: 700;
}

.live {
  padding: 0.05rem 0.6rem;
  border-radius: 3px;
  background: var(--route);
  color: var(--p-content-background);
  font-weight: 700;
}

header :deep(.p-select) {
  max-width: 12rem;
}

.out,
.who {
  white-space: nowrap;
}

main {
  max-width: 1240px;
  margin: 0 auto;
  padding: 1.8rem 2rem 4rem;
}

.nothing {
  max-width: 44rem;
  margin: 3rem auto;
  padding: 2rem 2.4rem;
}

.nothing pre {
  padding: 0.9rem 1.1rem;
  background: var(--ground);
  border-radius: 4px;
}
</style>
