// The weather, tuned from afar: it changes under the player's hands, without another build.
const $ = (id) => document.getElementById(id);
let tuning;
let end = () => {};

/** How strongly warm air lifts at this moment; 1 is usual. */
export function thermals() {
  return tuning?.get('thermal-strength') ?? 1;
}

/** Shows what the designers say of the weather, now and whenever they change it. */
export function showWeather(player) {
  end();
  ({ tuning } = player);
  const names = ['thermal-strength', 'storm-warning', 'camp-note'];
  const takeBack = names.map((name) => tuning.watch(name, show));
  end = () => takeBack.forEach((one) => one());
  show();
}

function show() {
  const strength = thermals();
  const thermalsAre = `${Math.round(strength * 100)} %`;
  const warmth = strength === 1 ? 'as usual' : strength > 1 ? `strong: ${thermalsAre}` : `weak: ${thermalsAre}`;
  const isStormy = tuning.get('storm-warning');
  const draft = tuning.isDraft ? ' You fly with what is not published yet.' : '';
  $('weather').textContent = `Thermals ${warmth}.${isStormy ? ' A storm is near!' : ''}${draft}`;
  $('weather').classList.toggle('storm', isStormy);
  $('note').textContent = tuning.get('camp-note');
  $('camp').hidden = $('note').textContent === '';
}
