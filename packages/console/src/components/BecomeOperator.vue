<script setup lang="ts">
import type { SignInResponse } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Message from 'primevue/message';
import Password from 'primevue/password';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useSignedIn } from '../signed-in.js';
import EntrySheet from './EntrySheet.vue';

/** Whoever opened a link becomes an operator, and is signed in. */
export interface NewOperator {
  readonly invitation: string;
  readonly name: string;
  readonly email: string;
  readonly password: string;
}

const { title, incomplete, asksEmail, become } = defineProps<{
  title: string;
  /** What to say where the link was not copied whole. */
  incomplete: string;
  asksEmail: boolean;
  become: (operator: NewOperator) => Promise<SignInResponse>;
}>();

const name = ref('');
const email = ref('');
const password = ref('');
const refused = ref('');
const isBusy = ref(false);
const { keep } = useSignedIn();
const router = useRouter();
const invitation = useRoute().hash.slice(1);

async function start(): Promise<void> {
  isBusy.value = true;
  refused.value = '';
  try {
    const operator = { invitation, name: name.value.trim(), email: email.value.trim(), password: password.value };
    keep(await become(operator));
    await router.push('/overview');
  } catch (error) {
    refused.value = (error as Error).message;
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <EntrySheet :title="title">
    <p v-if="invitation === ''">{{ incomplete }}</p>
    <form v-else @submit.prevent="start">
      <label for="name">Name</label>
      <InputText id="name" v-model="name" autocomplete="name" required autofocus />
      <template v-if="asksEmail">
        <label for="email">E-mail</label>
        <InputText id="email" v-model="email" type="email" autocomplete="username" required />
      </template>
      <label for="password">Password, at least 10 characters</label>
      <Password
        v-model="password"
        input-id="password"
        :feedback="false"
        :input-props="{ autocomplete: 'new-password', required: true, minlength: 10 }"
      />
      <Message v-if="refused" severity="error" role="alert">{{ refused }}</Message>
      <Button type="submit" label="Start" :loading="isBusy" />
    </form>
  </EntrySheet>
</template>
