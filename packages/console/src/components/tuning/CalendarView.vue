<script setup lang="ts">
import { adjustmentInWords } from '@vekkon/core/tuning';
import type { Draft } from '@vekkon/protocol';
import Button from 'primevue/button';
import SelectButton from 'primevue/selectbutton';
import { computed, onMounted, onUnmounted, ref } from 'vue';
import { barsOf, daysBetween, moved, overlapsOf, type Bar } from './calendar.js';

/** The windows of all tunables on a time line: past, running and to come, moved with the mouse or the keyboard. */
const { draft, mayEdit } = defineProps<{ draft: Draft; mayEdit: boolean }>();
const emit = defineEmits<{ move: [tunable: string, adjustment: string, part: 'all' | 'from' | 'until', by: number] }>();
const [hour, day] = [3_600_000, 86_400_000];
const snap = 15 * 60_000;
const now = ref(Date.now());
const spans = [
  { label: 'A week', days: 7 },
  { label: 'Three weeks', days: 21 },
  { label: 'Two months', days: 62 },
];
const days = ref(21);
const start = ref(Date.now() - 5 * day);
const end = computed(() => start.value + days.value * day);
const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
const zones = computed(() => [...new Set([own, 'UTC'])]);
const zone = ref(own);
/** What is being moved, until it is let go. */
const held = ref<{ readonly bar: Bar; readonly part: 'all' | 'from' | 'until'; readonly by: number }>();

const bars = computed(() =>
  barsOf(draft, now.value).map((bar) => {
    const one = held.value;
    if (one === undefined || one.bar.adjustment.id !== bar.adjustment.id) return bar;
    const { window = {} } = moved(bar.adjustment, one.part, one.by);
    return {
      ...bar,
      from: window.from === undefined ? -Infinity : Date.parse(window.from),
      until: window.until === undefined ? Infinity : Date.parse(window.until),
    };
  }),
);
const lanes = computed(() => {
  const names = [...new Set(bars.value.map(({ tunable }) => tunable))];
  return names.map((tunable) => ({ tunable, bars: bars.value.filter((bar) => bar.tunable === tunable) }));
});
const overlaps = computed(() => overlapsOf(bars.value, now.value));

function offset(at: number): number {
  if (zone.value === 'UTC') return 0;
  return -new Date(at).getTimezoneOffset() * 60_000;
}

const ticks = computed(() => daysBetween(start.value, end.value, offset));
const dayName = computed(
  () => new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short', timeZone: zone.value }),
);
const momentName = computed(
  () =>
    new Intl.DateTimeFormat('en-GB', {
      weekday: 'short',
      day: 'numeric',
      month: 'short',
      hour: '2-digit',
      minute: '2-digit',
      timeZone: zone.value,
    }),
);

function moment(at: number): string {
  return Number.isFinite(at) ? momentName.value.format(new Date(at)) : at < 0 ? 'always' : 'for ever';
}

/** Where a moment lies on the line, in percent. */
function left(at: number): number {
  const place = ((Math.max(start.value, Math.min(end.value, at)) - start.value) / (end.value - start.value)) * 100;
  return Math.round(place * 1000) / 1000;
}

function isSeen(bar: Bar): boolean {
  return bar.until > start.value && bar.from < end.value;
}

/** Beside the bar, where there is room; at the edge, where the bar lies beyond it. */
function labelPlace(bar: Bar): { readonly left?: string; readonly right?: string } {
  if (bar.until <= start.value) return { left: '0.3rem' };
  if (bar.from >= end.value) return { right: '0.3rem' };
  if (left(bar.until) < 72) return { left: `calc(${left(bar.until)}% + 0.5rem)` };
  return { right: `calc(${100 - left(bar.from)}% + 0.5rem)` };
}

function tickLabel(index: number): boolean {
  return days.value <= 7 || index % (days.value <= 21 ? 3 : 7) === 0;
}

function grab(event: PointerEvent, bar: Bar, part: 'all' | 'from' | 'until'): void {
  const track = (event.target as HTMLElement).closest('.rows');
  if (!mayEdit || event.button !== 0 || track === null) return;
  event.preventDefault();
  const perPixel = (end.value - start.value) / track.clientWidth;
  const from = event.clientX;
  held.value = { bar, part, by: 0 };
  const drag = (move: PointerEvent) => {
    const by = Math.round(((move.clientX - from) * perPixel) / snap) * snap;
    held.value = { bar, part, by };
  };
  const drop = () => {
    window.removeEventListener('pointermove', drag);
    const { by = 0 } = held.value ?? {};
    if (by !== 0) emit('move', bar.tunable, bar.adjustment.id, part, by);
    held.value = undefined;
  };
  window.addEventListener('pointermove', drag);
  window.addEventListener('pointerup', drop, { once: true });
}

/** Left and right by an hour, with Alt by a day; with Shift only the end. */
function press(event: KeyboardEvent, bar: Bar): void {
  if (!mayEdit || (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight')) return;
  event.preventDefault();
  const by = (event.key === 'ArrowLeft' ? -1 : 1) * (event.altKey ? day : hour);
  emit('move', bar.tunable, bar.adjustment.id, event.shiftKey ? 'until' : 'all', by);
}

let timer: ReturnType<typeof setInterval> | undefined;
onMounted(() => (timer = setInterval(() => (now.value = Date.now()), 10_000)));
onUnmounted(() => clearInterval(timer));
</script>

<template>
  <div class="tools">
    <Button icon="pi pi-arrow-left" size="small" text aria-label="Earlier" @click="start -= (days / 2) * day" />
    <Button label="Today" size="small" text @click="start = Date.now() - days * 0.25 * day" />
    <Button icon="pi pi-arrow-right" size="small" text aria-label="Later" @click="start += (days / 2) * day" />
    <SelectButton
      v-model="days"
      :options="spans"
      option-label="label"
      option-value="days"
      :allow-empty="false"
      size="small"
      aria-label="How much is shown"
    />
    <SelectButton
      v-if="zones.length > 1"
      v-model="zone"
      :options="zones"
      :allow-empty="false"
      size="small"
      aria-label="Time zone"
    />
    <span v-else class="muted">Times in UTC</span>
    <span v-if="mayEdit" class="muted hint"
      >Drag a window, or its ends; or move it with ← and →, its end with Shift, by days with Alt.</span
    >
  </div>
  <div v-if="lanes.length === 0" class="sheet none">
    <h2>No windows</h2>
    <p>An adjustment with a time opens and closes by itself, on the second. Its window stands here.</p>
  </div>
  <figure v-else class="sheet calendar">
    <div class="scale">
      <span v-for="(tick, index) in ticks" v-show="tickLabel(index)" :key="tick" :style="{ left: `${left(tick)}%` }">{{
        dayName.format(new Date(tick))
      }}</span>
    </div>
    <div v-for="lane in lanes" :key="lane.tunable" class="lane">
      <div class="tunable">{{ lane.tunable }}</div>
      <div class="rows">
        <span v-for="tick in ticks" :key="tick" class="tick" :style="{ left: `${left(tick)}%` }" />
        <div v-for="bar in lane.bars" :key="bar.adjustment.id" class="row">
          <button
            v-if="isSeen(bar)"
            type="button"
            class="bar"
            :class="[bar.state.replace(' ', '-'), { held: held?.bar.adjustment.id === bar.adjustment.id }]"
            :style="{ left: `${left(bar.from)}%`, width: `${Math.max(left(bar.until) - left(bar.from), 0.4)}%` }"
            :title="`${bar.name}: ${adjustmentInWords(bar.adjustment)}`"
            :aria-label="`${bar.name}, ${bar.state}, ${moment(bar.from)} to ${moment(bar.until)}`"
            @pointerdown="(event) => grab(event, bar, 'all')"
            @keydown="(event) => press(event, bar)"
          >
            <span v-if="mayEdit" class="end" @pointerdown.stop="(event) => grab(event, bar, 'from')" />
            <span v-if="mayEdit" class="end last" @pointerdown.stop="(event) => grab(event, bar, 'until')" />
          </button>
          <span class="label" :style="labelPlace(bar)">
            <b>{{ bar.until <= start ? '‹ ' : '' }}{{ bar.name }}</b>
            {{
              bar.state === 'running'
                ? `until ${moment(bar.until)}`
                : bar.state === 'past'
                  ? `ended ${moment(bar.until)}`
                  : `from ${moment(bar.from)}`
            }}{{ bar.from >= end ? ' ›' : '' }}
          </span>
        </div>
        <span v-if="now > start && now < end" class="now" :style="{ left: `${left(now)}%` }" />
      </div>
    </div>
    <figcaption>
      <span class="key"><i class="running" /> running</span>
      <span class="key"><i class="to-come" /> to come</span>
      <span class="key"><i class="past" /> past</span>
      <span class="key"
        ><i class="line" /> now, {{ moment(now) }}
        {{ zone === 'UTC' ? 'UTC' : `(${new Date(now).toISOString().slice(11, 16)} UTC)` }}</span
      >
    </figcaption>
    <ul v-if="overlaps.length > 0" class="overlaps" aria-label="Where windows overlap">
      <li v-for="one in overlaps" :key="one.tunable + one.winner + one.loser">
        <b>{{ one.tunable }}</b>, {{ moment(one.from) }} to {{ moment(one.until) }}: “{{ one.winner }}” wins over “{{
          one.loser
        }}”<template v-if="!one.isForAll"> for whoever it is meant for</template>.
      </li>
    </ul>
  </figure>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 0.6rem;
  align-items: center;
  margin-bottom: 0.8rem;
}

.hint {
  margin-left: auto;
  font-size: 0.92rem;
}

.calendar {
  margin: 0;
  padding: 1rem 1.4rem 1.2rem;
}

.scale {
  position: relative;
  height: 1.5rem;
  margin-left: 10rem;
  color: var(--p-text-muted-color);
  font-size: 0.86rem;
}

.scale span {
  position: absolute;
  white-space: nowrap;
}

.lane {
  display: grid;
  grid-template-columns: 10rem 1fr;
  border-top: 1px solid var(--line);
}

.tunable {
  padding: 0.7rem 0;
  font-weight: 700;
}

.rows {
  position: relative;
  padding: 0.35rem 0;
  overflow: hidden;
}

.row {
  position: relative;
  height: 2.1rem;
}

.tick,
.now {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: var(--line);
  opacity: 0.6;
}

.now {
  width: 2px;
  background: var(--route);
  opacity: 1;
  pointer-events: none;
}

.bar {
  position: absolute;
  top: 0.3rem;
  height: 1.5rem;
  min-width: 6px;
  padding: 0;
  border: 1px solid var(--p-primary-color);
  border-radius: 3px;
  background: var(--p-primary-color);
  cursor: grab;
  touch-action: none;
}

.bar.to-come {
  border: 2px dashed var(--earth);
  background: var(--p-content-background);
}

.bar.past {
  border-color: var(--p-text-muted-color);
  background: var(--p-text-muted-color);
  opacity: 0.45;
}

.bar.held {
  cursor: grabbing;
  outline: 2px solid var(--route);
}

.end {
  position: absolute;
  top: 0;
  bottom: 0;
  left: 0;
  width: min(7px, 25%);
  cursor: ew-resize;
}

.end.last {
  right: 0;
  left: auto;
}

.label {
  position: absolute;
  top: 0.35rem;
  font-size: 0.92rem;
  white-space: nowrap;
  pointer-events: none;
}

figcaption {
  display: flex;
  gap: 1.4rem;
  padding-top: 0.8rem;
  border-top: 1px solid var(--line);
  font-size: 0.92rem;
}

.key {
  display: flex;
  gap: 0.4rem;
  align-items: center;
}

.key i {
  width: 1.5rem;
  height: 0.8rem;
  border-radius: 2px;
}

.key .running {
  background: var(--p-primary-color);
}

.key .to-come {
  border: 2px dashed var(--earth);
}

.key .past {
  background: var(--p-text-muted-color);
  opacity: 0.45;
}

.key .line {
  width: 2px;
  height: 1.1rem;
  background: var(--route);
}

.overlaps {
  margin: 0.8rem 0 0;
  padding: 0.5rem 0.8rem 0.5rem 1.8rem;
  background: var(--route-soft);
  border-radius: 4px;
}
</style>
