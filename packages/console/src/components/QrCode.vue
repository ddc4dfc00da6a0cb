<script setup lang="ts">
import { encode } from 'uqr';
import { computed } from 'vue';

/** A text as a QR code (ISO/IEC 18004), to be read by a camera. */
const { text, label } = defineProps<{ readonly text: string; readonly label: string }>();
const code = computed(() => encode(text, { ecc: 'M', border: 4 }));
/** One square for each dark module. */
const path = computed(() =>
  code.value.data.flatMap((row, y) => row.flatMap((isDark, x) => (isDark ? [`M${x} ${y}h1v1h-1z`] : []))).join(''),
);
</script>

<template>
  <svg
    class="qr"
    role="img"
    :aria-label="label"
    :viewBox="`0 0 ${code.size} ${code.size}`"
    shape-rendering="crispEdges"
  >
    <rect width="100%" height="100%" fill="#fff" />
    <path :d="path" fill="#000" />
  </svg>
</template>

<style scoped>
.qr {
  width: 11rem;
  height: 11rem;
  border-radius: 4px;
}
</style>
