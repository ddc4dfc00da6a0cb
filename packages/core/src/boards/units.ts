const number = new Intl.NumberFormat('en', { maximumFractionDigits: 3 });

/**
 * A result as people read it: `71234` milliseconds are `1:11.234`, `51.6`
 * seconds are `51.6 seconds`, `41972` metres are `41,972 metres`.
 *
 * @param unit as the manifest declares it; a bare number without
 */
export function shownResult(value: number, unit?: string): string {
  if (unit === 'milliseconds') return asTime(value);
  const shown = number.format(value);
  return unit === undefined ? shown : `${shown} ${unit}`;
}

function asTime(milliseconds: number): string {
  const whole = Math.round(Math.abs(milliseconds));
  const [thousandths, seconds, minutes] = [
    whole % 1000,
    Math.floor(whole / 1000) % 60,
    Math.floor(whole / 60_000) % 60,
  ];
  const hours = Math.floor(whole / 3_600_000);
  const two = (part: number) => String(part).padStart(2, '0');
  const sign = milliseconds < 0 ? '−' : '';
  const upToMinutes = hours > 0 ? `${hours}:${two(minutes)}` : String(minutes);
  return `${sign}${upToMinutes}:${two(seconds)}.${String(thousandths).padStart(3, '0')}`;
}
