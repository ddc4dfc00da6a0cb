<script setup lang="ts">
import { ServiceRefused, ServiceUnreachable } from '@vekkon/client/operator';
import Button from 'primevue/button';
import Message from 'primevue/message';
import { computed } from 'vue';

const { problem } = defineProps<{ problem: unknown }>();
defineEmits<{ again: [] }>();

const text = computed(() => {
  if (problem instanceof ServiceUnreachable) return 'The service does not answer. Is it running?';
  return problem instanceof Error ? problem.message : String(problem);
});
const code = computed(() =>
  problem instanceof ServiceRefused ? `${problem.code} · request ${problem.requestId}` : '',
);
</script>

<template>
  <Message severity="error" :closable="false" role="alert">
    <div class="notice">
      <div>
        {{ text }}
        <div v-if="code" class="code">{{ code }}</div>
      </div>
      <Button label="Try again" size="small" severity="secondary" @click="$emit('again')" />
    </div>
  </Message>
</template>

<style scoped>
.notice {
  display: flex;
  align-items: center;
  gap: 1.5rem;
}

.code {
  font-size: 0.85rem;
}
</style>
