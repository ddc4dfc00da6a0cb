import { ref } from 'vue';

/** Light or dark: as the system has it, until somebody chooses. */

const name = 'vekkon.daylight';
const kept = localStorage.getItem(name);
const isNight = ref(kept === null ? window.matchMedia('(prefers-color-scheme: dark)').matches : kept === 'night');

function show(): void {
  document.documentElement.classList.toggle('night', isNight.value);
}
show();

export function useDaylight() {
  return {
    isNight,
    toggle() {
      isNight.value = !isNight.value;
      localStorage.setItem(name, isNight.value ? 'night' : 'day');
      show();
    },
  };
}
