/** The air over the valley: the same for everybody, from where one is. Lengths in metres, times in seconds. */
export const valley = { length: 1800, ceiling: 700 };

/** A number from 0 up to 1 that belongs to an index, always the same. */
const chance = (index) => (Math.sin(index * 127.1 + 311.7) * 43758.5453) % 1;
const share = (index) => Math.abs(chance(index));

export const thermals = Array.from({ length: 7 }, (_, index) => ({
  x: 220 + index * 260 + share(index) * 90,
  width: 70 + share(index + 40) * 50,
  strength: 20 + share(index + 80) * 12,
}));

/** Feathers float where the air carries them; the first one lies on the way of whoever just lets go. */
export const feathers = Array.from({ length: 22 }, (_, index) => ({
  x: 70 + index * 78,
  height: index === 0 ? 308 : 180 + share(index + 7) * 380,
}));

/** How fast the air rises at a place. */
export function lift(x) {
  return thermals.reduce((sum, { x: centre, width, strength }) => {
    const away = Math.abs(x - centre) / width;
    return sum + (away < 1 ? strength * (1 - away * away) : 0);
  }, 0);
}

/** One step of the flight. @param pitch from -1, nose down, to 1, nose up @param strength of the thermals, usually 1 */
export function fly(drift, pitch, dt, strength = 1) {
  const speed = 42 - 13 * pitch;
  const climb = strength * lift(drift.metres) - (pitch > 0 ? 8 - 5 * pitch : 8 - 20 * pitch);
  const metres = drift.metres + speed * dt;
  const height = Math.min(drift.height + climb * dt, valley.ceiling);
  const near = ({ x, height: at }) => x > drift.metres && x <= metres && Math.abs(at - height) < 34;
  const found = feathers.filter(near).length;
  return { feathers: drift.feathers + found, metres, height: Math.max(height, 0), seconds: drift.seconds + dt };
}
