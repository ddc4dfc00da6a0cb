<script setup lang="ts">
import type { Draft } from '@vekkon/protocol';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { agoInWords } from '../../words.js';

/** What publishing the draft would change, in words; and why it is published. */
const { draft, mayPublish, isLive } = defineProps<{ draft: Draft; mayPublish: boolean; isLive: boolean }>();
const emit = defineEmits<{ publish: [note: string] }>();
const note = ref('');
</script>

<template>
  <section class="sheet draft" aria-label="Draft">
    <h2>Not published yet</h2>
    <ul>
      <li v-for="one in draft.differences" :key="one.words">{{ one.words }}</li>
      <li v-for="one in draft.undeclared" :key="one" class="muted">
        {{ one }} is not declared any more, and counts no more
      </li>
    </ul>
    <p v-if="draft.changes[0]" class="muted">
      Last changed {{ agoInWords(draft.changes[0].at) }} by {{ draft.changes[0].by }}
    </p>
    <form v-if="mayPublish" @submit.prevent="note.trim() !== '' && emit('publish', note.trim())">
      <InputText
        v-model="note"
        size="small"
        placeholder="Why? It stands in the activity"
        aria-label="Why is it published?"
      />
      <Button
        type="submit"
        size="small"
        :label="isLive ? 'Publish for all players' : 'Publish'"
        :disabled="note.trim() === ''"
      />
    </form>
    <p v-else class="muted">This environment is live: an admin publishes it.</p>
  </section>
</template>

<style scoped>
.draft {
  margin-bottom: 1.1rem;
  padding: 1rem 1.4rem;
  border-left: 4px solid var(--route);
}

ul {
  margin: 0.4rem 0;
  padding-left: 1.2rem;
}

form {
  display: flex;
  gap: 0.7rem;
}

form input {
  flex: 0 1 28rem;
}

p {
  margin: 0.3rem 0;
}
</style>
