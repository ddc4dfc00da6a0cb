<script setup lang="ts">
import { ServiceRefused, ServiceUnreachable, VekkonOperator } from '@vekkon/client/operator';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Message from 'primevue/message';
import Password from 'primevue/password';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import EntrySheet from '../components/EntrySheet.vue';
import { serviceUrl, useSignedIn } from '../signed-in.js';

const email = ref('');
const password = ref('');
const code = ref('');
/** The password is right: the second factor is asked for. */
const asksForCode = ref(false);
const refused = ref('');
const isBusy = ref(false);
const { keep } = useSignedIn();
const router = useRouter();
const route = useRoute();

async function signIn(): Promise<void> {
  isBusy.value = true;
  refused.value = '';
  try {
    const more = { keepIn: 'cookie' as const, ...(code.value.trim() !== '' && { code: code.value.trim() }) };
    keep(await VekkonOperator.signIn(serviceUrl, email.value.trim(), password.value, more));
    const wanted = route.query['to'];
    await router.push(typeof wanted === 'string' && wanted.startsWith('/') ? wanted : '/overview');
  } catch (error) {
    if (error instanceof ServiceRefused && error.code === 'second-factor-needed') {
      asksForCode.value = true;
      return;
    }
    refused.value =
      error instanceof ServiceUnreachable ? 'The service does not answer. Is it running?' : (error as Error).message;
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <EntrySheet title="Sign in">
    <form @submit.prevent="signIn">
      <label for="email">E-mail</label>
      <InputText id="email" v-model="email" type="email" autocomplete="username" required autofocus />
      <label for="password">Password</label>
      <Password
        v-model="password"
        input-id="password"
        :feedback="false"
        :input-props="{ autocomplete: 'current-password', required: true }"
      />
      <template v-if="asksForCode">
        <label for="code">The code that your authenticator shows, or a recovery code</label>
        <InputText id="code" v-model="code" autocomplete="one-time-code" required autofocus />
      </template>
      <Message v-if="refused" severity="error" role="alert">{{ refused }}</Message>
      <Button type="submit" label="Sign in" :loading="isBusy" />
    </form>
  </EntrySheet>
</template>
