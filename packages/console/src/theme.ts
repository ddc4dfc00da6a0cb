import { definePreset } from '@primeuix/themes';
import Aura from '@primeuix/themes/aura';

/**
 * The console's look, all of it: a pilot's paper map of hills and air. Paper
 * and ink by day, a lamp-lit map by night; contour lines in earth, water in
 * pine, and the route in red. Pages use these names and no colours of their own.
 */

const pine = {
  50: '#edf5f5',
  100: '#d3e6e7',
  200: '#a8cdd0',
  300: '#76adb3',
  400: '#488a92',
  500: '#2c6f78',
  600: '#1f5a63',
  700: '#1a4a52',
  800: '#163c43',
  900: '#112f35',
  950: '#0b2025',
};

const paper = {
  0: '#fffdf7',
  50: '#faf5e8',
  100: '#f4ecd8',
  200: '#e8dcc0',
  300: '#d6c6a3',
  400: '#b3a27f',
  500: '#8d7e60',
  600: '#6d6149',
  700: '#524936',
  800: '#383226',
  900: '#26221a',
  950: '#17140f',
};

const night = {
  0: '#ffffff',
  50: '#eef2f0',
  100: '#d5dedb',
  200: '#aebcb8',
  300: '#869895',
  400: '#647876',
  500: '#4a5f5f',
  600: '#354a4c',
  700: '#263a3e',
  800: '#1b2d32',
  900: '#132328',
  950: '#0d1a1f',
};

export const theme = definePreset(Aura, {
  semantic: {
    primary: pine,
    formField: { borderRadius: '4px' },
    colorScheme: {
      light: {
        surface: paper,
        primary: {
          color: '{primary.600}',
          contrastColor: '#fffdf7',
          hoverColor: '{primary.700}',
          activeColor: '{primary.800}',
        },
        text: { color: '#22352f', hoverColor: '#16241f', mutedColor: '#6a6450' },
        content: { background: '#fffdf7', borderColor: '#e0d3b4' },
        formField: { background: '#fffdf7', borderColor: '#c9b88f', placeholderColor: '#6a6450' },
      },
      dark: {
        surface: night,
        primary: { color: '#7cc0c4', contrastColor: '#0d1a1f', hoverColor: '#99d2d5', activeColor: '#b9e2e4' },
        text: { color: '#e9e4d2', hoverColor: '#fff8e2', mutedColor: '#a3ada4' },
        content: { background: '#16282d', borderColor: '#2b4348' },
        formField: { background: '#11211f', borderColor: '#3a5458', placeholderColor: '#a3ada4' },
      },
    },
  },
  components: {
    button: {
      colorScheme: {
        light: {
          outlined: { secondary: { color: '#5f5a47' }, danger: { color: '#a33823' } },
          text: { secondary: { color: '#5f5a47' }, danger: { color: '#a33823' } },
        },
        dark: {
          outlined: { secondary: { color: '#c3cbc3' } },
          text: { secondary: { color: '#c3cbc3' } },
        },
      },
    },
    message: {
      colorScheme: { light: { error: { color: '#8f2d1a' } }, dark: { error: { color: '#ffb9a6' } } },
    },
    togglebutton: {
      colorScheme: { light: { root: { color: '#5f5a47' } }, dark: { root: { color: '#c3cbc3' } } },
    },
    card: { root: { borderRadius: '6px', shadow: 'none' } },
    datatable: {
      headerCell: { background: 'transparent', color: '{text.muted.color}', padding: '0.55rem 0.9rem' },
      bodyCell: { padding: '0.6rem 0.9rem' },
      row: { background: 'transparent' },
    },
    tabs: { tablist: { background: 'transparent' }, tabpanel: { background: 'transparent', padding: '1.1rem 0 0' } },
  },
});

const light = {
  '--ground': '#f2e9d3',
  '--ground-lines': '#c9ae7e',
  '--route': '#a33823',
  '--route-soft': '#f6dfd2',
  '--earth': '#99713f',
  '--good': '#37703f',
  '--good-soft': '#dfead3',
  '--line': '#ddcfad',
};

const dark = {
  '--ground': '#0f1e23',
  '--ground-lines': '#35555a',
  '--route': '#f08a62',
  '--route-soft': '#40281f',
  '--earth': '#d0a56c',
  '--good': '#93c98a',
  '--good-soft': '#1f3a2c',
  '--line': '#2b4348',
};

/** The names that pages use beside PrimeVue's own, as a style sheet. */
export function themeStyles(): string {
  const block = (names: object) =>
    Object.entries(names)
      .map(([name, value]) => `${name}:${value}`)
      .join(';');
  return `:root{${block(light)};color-scheme:light} :root.night{${block(dark)};color-scheme:dark}`;
}
