<script setup lang="ts">
import { scopes, type KeyList, type Scope } from '@vekkon/protocol';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { ref, watch } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import { agoInWords, timeInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';

/** The keys that game servers and devices show: made, seen in use, ended. */
const { calls, environment } = useSignedIn();
const keys = ref<KeyList['keys']>();
const problem = ref<unknown>();
const isMaking = ref(false);
const sort = ref<'host-key' | 'device-key'>('host-key');
const name = ref('');
const chosen = ref<Scope[]>([...scopes]);
const made = ref('');
const asked = ref<string>();
const sorts = [
  { value: 'host-key', label: 'Host key, for game servers' },
  { value: 'device-key', label: 'Device key, for games on devices' },
];

async function trying(work: () => Promise<void>): Promise<void> {
  problem.value = undefined;
  try {
    await work();
    keys.value = (await calls.value.keys()).keys;
  } catch (error) {
    problem.value = error;
  }
}

async function make(): Promise<void> {
  await trying(async () => {
    const isForAll = chosen.value.length === scopes.length;
    const created = await calls.value.createKey({
      sort: sort.value,
      ...(name.value.trim() !== '' && { name: name.value.trim() }),
      ...(!isForAll && { scopes: chosen.value }),
    });
    made.value = created.key;
    isMaking.value = false;
    name.value = '';
  });
}

async function revoke(id: string): Promise<void> {
  asked.value = undefined;
  await trying(async () => void (await calls.value.revokeKey(id)));
}

watch(calls, () => void trying(async () => undefined), { immediate: true });
</script>

<template>
  <section aria-labelledby="keys-title">
    <div class="head">
      <h2 id="keys-title">Keys of {{ environment?.title }} · {{ environment?.environment }}</h2>
      <Button v-if="!isMaking" label="New key" size="small" @click="((isMaking = true), (made = ''))" />
    </div>
    <ProblemNotice v-if="problem" :problem="problem" @again="trying(async () => undefined)" />
    <p v-if="made" class="sheet shown" role="status">
      The key is shown only now: <code>{{ made }}</code>
    </p>
    <form v-if="isMaking" class="sheet new" @submit.prevent="make">
      <Select
        v-model="sort"
        :options="sorts"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="Which sort"
      />
      <InputText v-model="name" size="small" placeholder="ridge-eu" aria-label="What it is called" maxlength="100" />
      <fieldset>
        <legend>Good for</legend>
        <label v-for="one in scopes" :key="one"
          ><Checkbox v-model="chosen" :value="one" :input-id="`scope-${one}`" /> {{ one }}</label
        >
      </fieldset>
      <Button type="submit" label="Make it" size="small" :disabled="chosen.length === 0" />
      <Button label="Leave it" severity="secondary" text size="small" @click="isMaking = false" />
    </form>
    <table v-if="keys" class="sheet">
      <thead>
        <tr>
          <th scope="col">Key</th>
          <th scope="col">Name</th>
          <th scope="col">Good for</th>
          <th scope="col">Made</th>
          <th scope="col">Last used</th>
          <th scope="col"><span class="hidden">End it</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in keys" :key="one.id" :class="{ over: one.revokedAt !== null }">
          <td>
            <code>{{ one.id }}…</code>
          </td>
          <td>{{ one.name ?? '–' }}</td>
          <td>
            {{ one.sort === 'device-key' ? 'devices' : 'hosts' }}:
            {{ one.scopes === null ? 'everything' : one.scopes.join(', ') }}
          </td>
          <td>{{ timeInWords(one.createdAt) }}</td>
          <td>
            {{ one.lastUsedAt === null ? 'never' : `${agoInWords(one.lastUsedAt)}, from ${one.lastUsedFrom}` }}
          </td>
          <td class="actions">
            <template v-if="one.revokedAt !== null">ended {{ timeInWords(one.revokedAt) }}</template>
            <span v-else-if="asked === one.id" role="alertdialog" aria-label="End this key?">
              Whatever shows it is refused from then on.
              <Button label="End it" severity="danger" size="small" autofocus @click="revoke(one.id)" />
              <Button label="Leave it" severity="secondary" text size="small" @click="asked = undefined" />
            </span>
            <Button v-else label="End …" severity="secondary" text size="small" @click="asked = one.id" />
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
