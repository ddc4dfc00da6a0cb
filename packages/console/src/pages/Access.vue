<script setup lang="ts">
import { computed } from 'vue';
import AccountsView from '../components/access/AccountsView.vue';
import KeysView from '../components/access/KeysView.vue';
import LimitsView from '../components/access/LimitsView.vue';
import OperatorsView from '../components/access/OperatorsView.vue';
import OwnView from '../components/access/OwnView.vue';
import ProvidersView from '../components/access/ProvidersView.vue';
import { useSignedIn } from '../signed-in.js';

/** Who may do what: players' accounts, keys, operators, and whoever looks. */
const { operator, ownRole } = useSignedIn();
const helps = computed(() => ['support', 'designer', 'admin'].includes(operator.value?.role ?? 'viewer'));
/** What stands on the page for whoever looks. */
const parts = computed(() => [
  ...(helps.value
    ? [
        ['accounts-title', 'Players’ accounts'],
        ['providers-title', 'Identity providers'],
      ]
    : []),
  ...(operator.value?.role === 'admin' ? [['keys-title', 'Keys']] : []),
  ...(helps.value ? [['limits-title', 'Limits']] : []),
  ...(ownRole.value === 'admin' ? [['operators-title', 'Operators']] : []),
  ['own-title', 'You'],
]);
</script>

<template>
  <h1>Access</h1>
  <nav aria-label="On this page" class="on-this-page">
    <a v-for="[id, words] in parts" :key="id" :href="`#${id}`">{{ words }}</a>
  </nav>
  <div class="access">
    <AccountsView v-if="helps" />
    <ProvidersView v-if="helps" />
    <KeysView v-if="operator?.role === 'admin'" />
    <LimitsView v-if="helps" />
    <OperatorsView v-if="ownRole === 'admin'" />
    <OwnView />
  </div>
</template>

<style scoped>
.access {
  display: grid;
  gap: 2rem;
  margin-top: 1rem;
}

.on-this-page {
  display: flex;
  flex-wrap: wrap;
  gap: 1.2rem;
}

.access :deep(.head) {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 0.6rem;
}

.access :deep(h2) {
  margin: 0 0 0.6rem;
}

.access :deep(table) {
  width: 100%;
  border-collapse: separate;
  border-spacing: 0;
}

.access :deep(th),
.access :deep(td) {
  padding: 0.4rem 0.9rem;
  border-bottom: 1px solid var(--line);
  text-align: left;
  vertical-align: middle;
  overflow-wrap: anywhere;
}

.access :deep(thead th) {
  font-size: 0.86rem;
  font-weight: 500;
  color: var(--p-text-muted-color);
}

.access :deep(.actions) {
  text-align: right;
}

.access :deep(.over > td) {
  color: var(--p-text-muted-color);
}

.access :deep(.new),
.access :deep(.own),
.access :deep(.mails),
.access :deep(.shown) {
  padding: 0.8rem 1.1rem;
  margin-bottom: 0.8rem;
}

.access :deep(.new) {
  display: flex;
  flex-wrap: wrap;
  gap: 0.7rem;
  align-items: center;
}

.access :deep(fieldset) {
  display: flex;
  gap: 0.9rem;
  padding: 0;
  border: 0;
}

.access :deep(legend) {
  float: left;
  margin-right: 0.9rem;
}

.access :deep(.shown) {
  border-left: 4px solid var(--good);
}

.access :deep(.codes) {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 1.4rem;
}

.access :deep(.devices) {
  margin: 0.3rem 0;
  padding-left: 1.2rem;
}

.access :deep(.role-in) {
  display: inline-flex;
  gap: 0.6rem;
  align-items: center;
  margin-right: 1.6rem;
}

.access :deep(.own form) {
  margin: 0.6rem 0;
}

.access :deep(pre) {
  white-space: pre-wrap;
}

.access :deep(.hidden) {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
