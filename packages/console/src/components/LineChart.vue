<script setup lang="ts">
import type { Chart } from 'chart.js';
import { onMounted, onUnmounted, ref, watch } from 'vue';

export interface Line {
  readonly label: string;
  readonly values: readonly (number | null)[];
  /** A name of the theme, such as `--route`. */
  readonly colour: string;
}

/** Lines over time. What it shows stands in words and in a table beside it. */
const { title, unit, times, lines } = defineProps<{
  title: string;
  unit: string;
  times: readonly string[];
  lines: readonly Line[];
}>();

const canvas = ref<HTMLCanvasElement>();
let chart: Chart<'line'> | undefined;
let isGone = false;

function colourOf(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

function datasets() {
  return lines.map(({ label, values, colour }) => ({
    label,
    data: [...values],
    borderColor: colourOf(colour),
    backgroundColor: colourOf(colour),
    borderWidth: 2,
    pointRadius: 0,
    pointHitRadius: 8,
    tension: 0.2,
    spanGaps: true,
  }));
}

async function draw(): Promise<void> {
  // Loaded only where it is drawn: the other pages need none of it.
  const { CategoryScale, Chart, LineController, LineElement, LinearScale, PointElement, Tooltip } =
    await import('chart.js');
  Chart.register(CategoryScale, LineController, LineElement, LinearScale, PointElement, Tooltip);
  if (isGone || canvas.value === undefined) return;
  const ink = { color: colourOf('--p-text-muted-color'), font: { family: 'Alegreya Sans', size: 13 } };
  const grid = { color: colourOf('--line') };
  chart = new Chart(canvas.value, {
    type: 'line',
    data: { labels: [...times], datasets: datasets() },
    options: {
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      interaction: { mode: 'index', intersect: false },
      scales: {
        x: { ticks: { ...ink, maxTicksLimit: 7, maxRotation: 0 }, grid: { display: false } },
        y: {
          beginAtZero: true,
          ticks: { ...ink, maxTicksLimit: 5 },
          grid,
          title: { display: true, text: unit, ...ink },
        },
      },
    },
  });
}

watch(
  () => [times, lines],
  () => {
    if (chart === undefined) return;
    chart.data.labels = [...times];
    chart.data.datasets = datasets();
    chart.update('none');
  },
);

onMounted(draw);
onUnmounted(() => {
  isGone = true;
  chart?.destroy();
});
</script>

<template>
  <figure>
    <figcaption>
      {{ title }}
      <span v-for="one in lines" :key="one.label" class="key"
        ><span class="swatch" :style="{ background: `var(${one.colour})` }" />{{ one.label }}</span
      >
    </figcaption>
    <div class="frame">
      <canvas ref="canvas" role="img" :aria-label="`${title}, in ${unit}, over time: see the table below`" />
    </div>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}

figcaption {
  display: flex;
  gap: 1rem;
  align-items: baseline;
  margin-bottom: 0.4rem;
  font-weight: 500;
}

.key {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
  font-weight: 400;
}

.swatch {
  width: 0.9rem;
  height: 0.2rem;
}

.frame {
  position: relative;
  height: 12rem;
}
</style>
