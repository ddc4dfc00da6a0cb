<script setup lang="ts">
/** The ground under every page: contour lines of three hills, computed once from their heights. */

interface Hill {
  readonly x: number;
  readonly y: number;
  readonly height: number;
  readonly lean: number;
}

const hills: readonly Hill[] = [
  { x: 1190, y: 150, height: 300, lean: 0.4 },
  { x: 180, y: 690, height: 250, lean: 2.1 },
  { x: 760, y: 860, height: 170, lean: 1.2 },
];
const steps = 72;
const spacing = 27;

/** A closed curve around a hill: a circle that ripples more the further down it lies. */
function contour(hill: Hill, radius: number): string {
  const points = Array.from({ length: steps }, (_, index) => {
    const angle = (index / steps) * 2 * Math.PI;
    const ripple =
      1 +
      0.16 * Math.sin(2 * angle + hill.lean) +
      0.07 * Math.sin(3 * angle - hill.lean + radius / 160) +
      0.035 * Math.sin(5 * angle + radius / 70);
    const x = hill.x + radius * ripple * 1.35 * Math.cos(angle);
    const y = hill.y + radius * ripple * Math.sin(angle);
    return `${x.toFixed(1)} ${y.toFixed(1)}`;
  });
  return `M${points.join('L')}Z`;
}

const contours = hills.flatMap((hill) =>
  Array.from({ length: Math.floor(hill.height / spacing) }, (_, index) => ({
    path: contour(hill, (index + 1) * spacing),
    // Every fourth line is an index contour, drawn heavier, as on any survey map.
    isIndex: (index + 1) % 4 === 0,
  })),
);
</script>

<template>
  <svg class="contours" viewBox="0 0 1280 800" preserveAspectRatio="xMidYMid slice" aria-hidden="true">
    <path v-for="(line, index) in contours" :key="index" :d="line.path" :class="{ index: line.isIndex }" />
  </svg>
</template>

<style scoped>
.contours {
  position: fixed;
  inset: 0;
  width: 100%;
  height: 100%;
  z-index: -1;
  fill: none;
  stroke: var(--ground-lines);
  stroke-width: 0.7;
  opacity: 0.5;
}

.index {
  stroke-width: 1.4;
}
</style>
