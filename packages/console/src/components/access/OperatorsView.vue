<script setup lang="ts">
import type { OperatorList, OperatorRole } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { ref } from 'vue';
import { nameOf, useSignedIn } from '../../signed-in.js';
import { timeInWords } from '../../words.js';
import ProblemNotice from '../ProblemNotice.vue';

/** The people who sign in: invited by a link, with a role for everything and others for single environments. */
const { calls, operator: self, environments } = useSignedIn();
const list = ref<OperatorList>();
const problem = ref<unknown>();
const email = ref('');
const role = ref<OperatorRole>('support');
const invited = ref<{ readonly email: string; readonly link: string }>();
const roles = ['none', 'viewer', 'support', 'designer', 'admin'] as const;
/** Whose roles for single environments are open. */
const opened = ref<string>();

async function trying(work: () => Promise<void>): Promise<void> {
  problem.value = undefined;
  try {
    await work();
    list.value = await calls.value.access.list();
  } catch (error) {
    problem.value = error;
  }
}

async function invite(): Promise<void> {
  await trying(async () => {
    const to = email.value.trim();
    const { link } = await calls.value.access.invite({ email: to, role: role.value });
    invited.value = { email: to, link };
    email.value = '';
  });
}

type Listed = OperatorList['operators'][number];
const change = (one: Listed, wanted: Parameters<typeof calls.value.access.change>[1]) =>
  trying(() => calls.value.access.change(one.email, wanted));

const as = 'as everywhere';
const roleIn = (one: Listed, place: string) => one.roles.find(({ environment }) => environment === place)?.role ?? as;

function setRoleIn(one: Listed, place: string, wanted: string): void {
  const others = one.roles.filter(({ environment }) => environment !== place);
  const all = wanted === as ? others : [...others, { environment: place, role: wanted as OperatorRole }];
  void change(one, { roles: all });
}

void trying(async () => undefined);
</script>

<template>
  <section aria-labelledby="operators-title">
    <h2 id="operators-title">Operators</h2>
    <ProblemNotice v-if="problem" :problem="problem" @again="trying(async () => undefined)" />
    <form class="sheet new" @submit.prevent="invite">
      <InputText
        v-model="email"
        type="email"
        size="small"
        required
        placeholder="wren@highfell.example"
        aria-label="E-mail"
      />
      <Select v-model="role" :options="[...roles]" size="small" aria-label="Role" />
      <Button type="submit" label="Invite" size="small" />
    </form>
    <p v-if="invited" class="sheet shown" role="status">
      Send this link to {{ invited.email }}: it is shown only now, and works once, for a week.
      <code>{{ invited.link }}</code>
    </p>
    <table v-if="list" class="sheet">
      <thead>
        <tr>
          <th scope="col">Who</th>
          <th scope="col">Role</th>
          <th scope="col">Second factor</th>
          <th scope="col">Since</th>
          <th scope="col"><span class="hidden">What to do</span></th>
        </tr>
      </thead>
      <tbody>
        <template v-for="one in list.operators" :key="one.email">
          <tr :class="{ over: one.disabledAt !== null }">
            <td>
              <b>{{ one.name }}</b> <span class="muted">{{ one.email }}</span>
            </td>
            <td>
              <Select
                :model-value="one.role"
                :options="[...roles]"
                size="small"
                :aria-label="`Role of ${one.email}`"
                @update:model-value="(wanted: OperatorRole) => change(one, { role: wanted })"
              />
            </td>
            <td>{{ one.hasSecondFactor ? 'yes' : 'no' }}</td>
            <td>{{ timeInWords(one.createdAt) }}</td>
            <td class="actions">
              <Button
                :label="one.roles.length === 0 ? 'For single environments …' : `${one.roles.length} of environments …`"
                severity="secondary"
                text
                size="small"
                @click="opened = opened === one.email ? undefined : one.email"
              />
              <Button
                v-if="one.email !== self?.email"
                :label="one.disabledAt === null ? 'Shut out' : 'Let in again'"
                severity="secondary"
                text
                size="small"
                @click="change(one, { disabled: one.disabledAt === null })"
              />
            </td>
          </tr>
          <tr v-if="opened === one.email">
            <td colspan="5">
              <label v-for="place in environments" :key="nameOf(place)" class="role-in">
                {{ place.title }} · {{ place.environment }}
                <Select
                  :model-value="roleIn(one, nameOf(place))"
                  :options="[as, ...roles]"
                  size="small"
                  :aria-label="`Role of ${one.email} in ${nameOf(place)}`"
                  @update:model-value="(wanted: string) => setRoleIn(one, nameOf(place), wanted)"
                />
              </label>
            </td>
          </tr>
        </template>
        <tr v-for="one in list.invited" :key="`invited ${one.email}`" class="over">
          <td>
            <span class="muted">{{ one.email }}</span>
          </td>
          <td>{{ one.role }}</td>
          <td colspan="3">invited by {{ one.by }}, until {{ timeInWords(one.expiresAt) }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
