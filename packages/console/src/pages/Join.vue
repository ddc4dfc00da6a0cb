<script setup lang="ts">
import { VekkonOperator } from '@vekkon/client/operator';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Message from 'primevue/message';
import Password from 'primevue/password';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import EntrySheet from '../components/EntrySheet.vue';
import { serviceUrl, useSignedIn } from '../signed-in.js';

const name = ref('');
const password = ref('');
const refused = ref('');
const isBusy = ref(false);
const { keep } = useSignedIn();
const router = useRouter();
const invitation = useRoute().hash.slice(1);

async function become(): Promise<void> {
  isBusy.value = true;
  refused.value = '';
  try {
    const who = { invitation, name: name.value.trim(), password: password.value };
    keep(await VekkonOperator.acceptInvitation(serviceUrl, { ...who, keepIn: 'cookie' }));
    await router.push('/overview');
  } catch (error) {
    refused.value = (error as Error).message;
  } finally {
    isBusy.value = false;
  }
}
</script>

<template>
  <EntrySheet title="You are invited">
    <p v-if="invitation === ''">This page needs the whole link that you were sent. Copy it again, to its end.</p>
    <form v-else @submit.prevent="become">
      <label for="name">Name</label>
      <InputText id="name" v-model="name" autocomplete="name" required autofocus />
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
