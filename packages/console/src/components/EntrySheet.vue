<script setup lang="ts">
import mark from '../mark.svg';

/** The sheet on which somebody who is not signed in starts. */
defineProps<{ title: string }>();
</script>

<template>
  <main>
    <section class="sheet">
      <div class="mark"><img :src="mark" alt="" width="38" height="38" />Vekkon</div>
      <h1>{{ title }}</h1>
      <slot />
    </section>
  </main>
</template>

<style scoped>
main {
  min-height: 100vh;
  display: grid;
  place-items: center;
  padding: 2rem;
}

section {
  width: 26rem;
  padding: 2.2rem 2.4rem 2.4rem;
  box-shadow: 0 14px 40px -22px rgb(0 0 0 / 45%);
}

.mark {
  display: flex;
  align-items: center;
  gap: 0.7rem;
  font:
    700 1.35rem 'Alegreya Variable',
    Georgia,
    serif;
}

h1 {
  margin: 1.4rem 0 1.1rem;
  font-size: 1.7rem;
}

section :deep(form) {
  display: grid;
  gap: 0.35rem;
}

section :deep(label) {
  margin-top: 0.6rem;
  font-weight: 500;
}

section :deep(button[type='submit']) {
  margin-top: 1.3rem;
}

section :deep(.p-password),
section :deep(.p-password input) {
  width: 100%;
}

section :deep(.p-message) {
  margin-top: 0.9rem;
}
</style>
