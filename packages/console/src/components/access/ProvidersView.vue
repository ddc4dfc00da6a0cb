<script setup lang="ts">
import type { IdentityProviderList } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Password from 'primevue/password';
import { reactive, ref, watch } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import ProblemNotice from '../ProblemNotice.vue';

/** The identity providers with which players of an environment may sign in. */
const { calls, environment, operator } = useSignedIn();
const list = ref<IdentityProviderList>();
const problem = ref<unknown>();
const said = ref('');
const empty = { name: '', title: '', issuer: '', clientId: '', secret: '' };
const edited = reactive({ ...empty });
const isEditing = ref(false);
const isNew = ref(false);
const asked = ref<string>();

async function trying(work: () => Promise<void>): Promise<void> {
  problem.value = undefined;
  said.value = '';
  try {
    await work();
    list.value = await calls.value.identities.list();
  } catch (error) {
    problem.value = error;
  }
}

function edit(name?: string): void {
  const known = list.value?.providers.find((one) => one.name === name);
  isNew.value = known === undefined;
  const { title, issuer, clientId } = known ?? empty;
  Object.assign(edited, { ...empty, name: name ?? '', title, issuer, clientId });
  isEditing.value = true;
}

async function keep(): Promise<void> {
  const { name, title, issuer, clientId, secret } = edited;
  await trying(async () => {
    const set = await calls.value.identities.set(name.trim(), {
      ...{ title: title.trim() || name.trim(), issuer: issuer.trim(), clientId: clientId.trim() },
      ...(secret !== '' && { clientSecret: secret }),
    });
    isEditing.value = false;
    said.value = `Players may sign in with ${set.title}: it has answered as it must.`;
  });
}

async function remove(name: string): Promise<void> {
  asked.value = undefined;
  await trying(() => calls.value.identities.remove(name));
}

watch(calls, () => void trying(async () => undefined), { immediate: true });
</script>

<template>
  <section aria-labelledby="providers-title">
    <div class="head">
      <h2 id="providers-title">Identity providers of {{ environment?.title }} · {{ environment?.environment }}</h2>
      <Button v-if="!isEditing && operator?.role === 'admin'" label="New provider" size="small" @click="edit()" />
    </div>
    <ProblemNotice v-if="problem" :problem="problem" @again="trying(async () => undefined)" />
    <p v-if="said" role="status">{{ said }}</p>
    <form v-if="isEditing" class="sheet new" @submit.prevent="keep">
      <InputText
        v-model="edited.name"
        size="small"
        placeholder="highfell-post"
        aria-label="Name"
        pattern="[a-z][a-z0-9\-]{0,62}"
        title="Small letters, digits and hyphens, and a letter first"
        required
        :disabled="!isNew"
      />
      <InputText
        v-model="edited.title"
        size="small"
        placeholder="Highfell Post"
        aria-label="What players read"
        maxlength="60"
      />
      <InputText
        v-model="edited.issuer"
        class="issuer"
        size="small"
        type="url"
        placeholder="https://id.highfell.example"
        aria-label="Issuer"
        required
      />
      <InputText v-model="edited.clientId" size="small" placeholder="Client ID" aria-label="Client ID" required />
      <Password
        v-model="edited.secret"
        size="small"
        :feedback="false"
        :placeholder="isNew ? 'Client secret, if any' : 'Client secret, if it is another'"
        :input-props="{ 'aria-label': 'Client secret', autocomplete: 'off' }"
      />
      <Button type="submit" label="Ask it, and keep it" size="small" />
      <Button label="Leave it" severity="secondary" text size="small" @click="isEditing = false" />
    </form>
    <p class="muted">
      <template v-if="list?.providers.length === 0">Players sign in with e-mail and password only. </template>
      Each provider must know that it may send people back to <code>{{ list?.returnTo }}</code>
    </p>
    <table v-if="list && list.providers.length > 0" class="sheet">
      <thead>
        <tr>
          <th scope="col">Provider</th>
          <th scope="col">Issuer</th>
          <th scope="col">Client ID</th>
          <th scope="col">Secret</th>
          <th scope="col"><span class="hidden">What to do</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in list.providers" :key="one.name">
          <td>
            {{ one.title }} <span class="muted">{{ one.name }}</span>
          </td>
          <td>{{ one.issuer }}</td>
          <td>
            <code>{{ one.clientId }}</code>
          </td>
          <td>{{ one.hasSecret ? 'kept' : 'none' }}</td>
          <td v-if="operator?.role === 'admin'" class="actions">
            <span v-if="asked === one.name" role="alertdialog" aria-label="Remove this provider?">
              Who signs in with it only can’t sign in again.
              <Button label="Remove it" severity="danger" size="small" autofocus @click="remove(one.name)" />
              <Button label="Leave it" severity="secondary" text size="small" @click="asked = undefined" />
            </span>
            <template v-else>
              <Button label="Change" severity="secondary" text size="small" @click="edit(one.name)" />
              <Button label="Remove …" severity="secondary" text size="small" @click="asked = one.name" />
            </template>
          </td>
          <td v-else></td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.issuer {
  min-width: 18rem;
}
</style>
