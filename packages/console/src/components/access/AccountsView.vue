<script setup lang="ts">
import type { AccountList, AccountResponse, MailList } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref, watch } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import { agoInWords, timeInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';

/** Players' accounts: found by their address, shut out, helped in, signed out. */
const { calls, environment } = useSignedIn();
const search = ref('');
const list = ref<AccountList>();
const mails = ref<MailList['mails']>([]);
const opened = ref<AccountResponse>();
const problem = ref<unknown>();
const said = ref('');

async function load(): Promise<void> {
  problem.value = undefined;
  try {
    [list.value, mails.value] = await Promise.all([
      calls.value.accounts.list({ search: search.value.trim(), count: 50 }),
      calls.value.accounts.mails().then((told) => told.mails),
    ]);
  } catch (error) {
    problem.value = error;
  }
}

async function doing(words: string, work: () => Promise<unknown>): Promise<void> {
  problem.value = undefined;
  said.value = '';
  try {
    await work();
    said.value = words;
    await load();
  } catch (error) {
    problem.value = error;
  }
}

async function open(player: string): Promise<void> {
  if (opened.value?.player === player) return void (opened.value = undefined);
  await doing('', async () => void (opened.value = await calls.value.accounts.of(player)));
}

watch([calls, search], load, { immediate: true });
</script>

<template>
  <section aria-labelledby="accounts-title">
    <div class="head">
      <h2 id="accounts-title">Players’ accounts</h2>
      <InputText v-model="search" type="search" size="small" placeholder="Find by e-mail" aria-label="Find by e-mail" />
    </div>
    <ProblemNotice v-if="problem" :problem="problem" @again="load" />
    <p v-if="said" role="status">{{ said }}</p>
    <p v-if="list?.accounts.length === 0" class="muted">
      {{
        search.trim() === ''
          ? 'Nobody has made an account yet: games offer it with player.account.'
          : 'No address starts so.'
      }}
    </p>
    <table v-else-if="list" class="sheet">
      <thead>
        <tr>
          <th scope="col">E-mail</th>
          <th scope="col">Player</th>
          <th scope="col">Made</th>
          <th scope="col"><span class="hidden">What to do</span></th>
        </tr>
      </thead>
      <tbody>
        <template v-for="one in list.accounts" :key="one.player">
          <tr :class="{ over: one.disabledAt !== null }">
            <td>
              {{ one.email ?? 'no address' }}
              <span v-if="one.email !== null && !one.isConfirmed" class="muted">not confirmed</span>
            </td>
            <td>
              <RouterLink :to="{ name: 'player', params: { id: one.player } }">{{ one.player }}</RouterLink>
            </td>
            <td>{{ timeInWords(one.createdAt) }}</td>
            <td class="actions">
              <Button label="Devices" severity="secondary" text size="small" @click="open(one.player)" />
              <Button
                v-if="one.email !== null"
                label="Send a reset"
                severity="secondary"
                text
                size="small"
                @click="doing(`A link was mailed to ${one.email}.`, () => calls.accounts.sendReset(one.player))"
              />
              <Button
                label="Sign out everywhere"
                severity="secondary"
                text
                size="small"
                @click="
                  doing(`${one.email ?? one.player} is signed out everywhere.`, () =>
                    calls.accounts.signOut(one.player),
                  )
                "
              />
              <Button
                :label="one.disabledAt === null ? 'Shut out' : 'Let in again'"
                severity="secondary"
                text
                size="small"
                @click="doing('', () => calls.accounts.disable(one.player, one.disabledAt === null))"
              />
            </td>
          </tr>
          <tr v-if="opened?.player === one.player">
            <td colspan="4">
              <p v-if="opened.identities.length > 0">
                Signs in with
                {{
                  opened.identities
                    .map(({ title, email }) => (email === null ? title : `${title} (${email})`))
                    .join(', ')
                }}{{ opened.hasPassword ? ', and with a password.' : '.' }}
              </p>
              <ul class="devices">
                <li v-for="stay in opened.signIns" :key="stay.id">
                  {{ stay.name ?? stay.device }}: since {{ timeInWords(stay.at) }}, last
                  {{ agoInWords(stay.usedAt) }} from {{ stay.address
                  }}<template v-if="stay.endedAt">, ended {{ timeInWords(stay.endedAt) }}</template>
                </li>
              </ul>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
    <details v-if="!environment?.isLive && mails.length > 0" class="sheet mails">
      <summary>Mails that would have gone out ({{ mails.length }})</summary>
      <article v-for="(one, index) in mails" :key="index">
        <h3>{{ one.subject }}</h3>
        <p class="muted">to {{ one.to }}, {{ timeInWords(one.at) }}</p>
        <pre>{{ one.text }}</pre>
      </article>
    </details>
  </section>
</template>
