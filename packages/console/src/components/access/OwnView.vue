<script setup lang="ts">
import type { OwnSignIns } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { useSignedIn } from '../../signed-in.js';
import { agoInWords, timeInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';
import QrCode from '../QrCode.vue';

/** How whoever looks is signed in: where, and with what beside the password. */
const { calls, operator, load: loadSelf } = useSignedIn();
const signIns = ref<OwnSignIns['signIns']>();
const problem = ref<unknown>();
const begun = ref<{ readonly secret: string; readonly url: string }>();
const code = ref('');
const recovery = ref<readonly string[]>();
const password = ref('');
const isRemoving = ref(false);

async function trying(work: () => Promise<void>): Promise<void> {
  problem.value = undefined;
  try {
    await work();
    signIns.value = (await calls.value.access.signIns()).signIns;
    await loadSelf();
  } catch (error) {
    problem.value = error;
  }
}

const begin = () => trying(async () => void (begun.value = await calls.value.access.beginSecondFactor()));

const confirm = () =>
  trying(async () => {
    const set = await calls.value.access.setSecondFactor(begun.value?.secret ?? '', code.value);
    recovery.value = set.recoveryCodes;
    begun.value = undefined;
    code.value = '';
  });

const remove = () =>
  trying(async () => {
    await calls.value.access.removeSecondFactor(password.value);
    isRemoving.value = false;
    password.value = '';
    recovery.value = undefined;
  });

void trying(async () => undefined);
</script>

<template>
  <section aria-labelledby="own-title">
    <h2 id="own-title">You</h2>
    <ProblemNotice v-if="problem" :problem="problem" @again="trying(async () => undefined)" />
    <div class="sheet own">
      <p>
        <b>Second factor:</b>
        {{
          operator?.hasSecondFactor
            ? `set, with ${operator.recoveryCodesLeft} recovery codes left`
            : 'not set: your password alone signs you in'
        }}.
        <Button v-if="!operator?.hasSecondFactor && !begun" label="Set it …" size="small" text @click="begin" />
        <Button
          v-if="operator?.hasSecondFactor && !isRemoving"
          label="Take it away …"
          severity="secondary"
          size="small"
          text
          @click="isRemoving = true"
        />
      </p>
      <form v-if="begun" @submit.prevent="confirm">
        <p>
          Show this to the camera of your authenticator; or type its secret in, or open the link on the device that it
          is on:
        </p>
        <QrCode :text="begun.url" label="The secret for your authenticator, as a QR code" />
        <p>
          <code>{{ begun.secret }}</code> · <a :href="begun.url">otpauth link</a>
        </p>
        <InputText
          v-model="code"
          size="small"
          autocomplete="one-time-code"
          required
          aria-label="The code that it shows"
        />
        <Button type="submit" label="Set it" size="small" />
        <Button label="Leave it" severity="secondary" text size="small" @click="begun = undefined" />
      </form>
      <div v-if="recovery" role="status">
        <p>Keep these recovery codes where only you find them: each signs you in once, and they are shown only now.</p>
        <p class="codes">
          <code v-for="one in recovery" :key="one">{{ one }}</code>
        </p>
      </div>
      <form v-if="isRemoving" @submit.prevent="remove">
        <InputText
          v-model="password"
          type="password"
          size="small"
          autocomplete="current-password"
          required
          aria-label="Your password"
        />
        <Button type="submit" label="Take it away" severity="danger" size="small" />
        <Button label="Leave it" severity="secondary" text size="small" @click="isRemoving = false" />
      </form>
      <ul v-if="signIns" class="devices">
        <li v-for="one in signIns" :key="one.id">
          {{ one.name ?? 'unknown' }}: since {{ timeInWords(one.at) }}, from {{ one.usedFrom ?? 'nowhere known' }},
          {{ one.usedAt === null ? 'not used yet' : `last ${agoInWords(one.usedAt)}` }}
          <b v-if="one.isThis">this one</b>
          <Button
            v-else
            label="Sign out there"
            severity="secondary"
            text
            size="small"
            @click="trying(() => calls.access.endSignIn(one.id))"
          />
        </li>
      </ul>
    </div>
  </section>
</template>
