import { VekkonPlayer } from '/vekkon-player.js';
import { offerAccount } from './account.js';
import { fly, valley } from './air.js';
import { draw } from './drawing.js';
import { nameTyped, showEverybody, submitForEverybody } from './everybody.js';
import { showWeather, thermals } from './weather.js';

const { deviceKey } = await (await fetch('./key.json')).json();
const player = new VekkonPlayer({ url: location.origin, deviceKey, name: nameTyped() });
const $ = (id) => document.getElementById(id);
const keys = new Set();
let drift = { feathers: 0, metres: 0, height: 320, seconds: 0 };
let [isFlying, pitch, keptAt, before] = [false, 0, 0, performance.now()];
const isAsking = () => $('checkpoints').matches('.asking');
const isIn = () => ['online', 'offline'].includes(player.status.connection);

player.onStatus(showStatus);
player.onLost(() => land());
player.onRefused(({ problem }) => say(problem.detail));
player.watch('drift', (value, from) => from === 'outside' && (drift = value));
player.watch('preference/invert-pitch', (value) => ($('invert').checked = value));
player.watch('score/valley/gull', showScores);
await begin();
requestAnimationFrame(step);

/** Joins, or starts offline on what was last known. */
async function begin() {
  try {
    await player.start();
    drift = player.progress('drift');
    $('invert').checked = player.preference('invert-pitch');
    await Promise.all([showScores(), showCheckpoints(), showEverybody(player), showWeather(player)]);
    offerAccount(player, begin);
  } catch (error) {
    say(error.message);
  }
}

function step(now) {
  const dt = Math.min((now - before) / 1000, 0.05);
  before = now;
  const wanted = (keys.has('ArrowUp') ? 1 : 0) - (keys.has('ArrowDown') ? 1 : 0);
  pitch += (($('invert').checked ? -1 : 1) * wanted - pitch) * Math.min(1, dt * 6);
  if (isFlying && isIn()) flyOn(dt, now);
  draw($('sky'), drift, isFlying ? pitch : 0, now / 1000);
  $('feathers').textContent = drift.feathers;
  $('metres').textContent = `${Math.round(drift.metres)} m`;
  $('seconds').textContent = `${drift.seconds.toFixed(1)} s`;
  requestAnimationFrame(step);
}

function flyOn(dt, now) {
  const { feathers } = drift;
  drift = fly(drift, pitch, dt, thermals());
  // A put that waits takes the place of the one before it: only the last is sent.
  if (drift.feathers > feathers || now - keptAt > 1000) keep(now);
  if (drift.metres >= valley.length) finish();
  else if (drift.height === 0) {
    land();
    player.increase('landings', 1);
    say('Landed in the valley. Start over, or load where you saved.');
  }
}

function keep(now = performance.now()) {
  const round = (number) => Math.round(number * 10) / 10;
  const { feathers, metres, height, seconds } = drift;
  player.put('drift', { feathers, metres: round(metres), height: round(height), seconds: round(seconds) });
  keptAt = now;
}

function land() {
  isFlying = false;
  $('fly').textContent = 'Fly';
  if (!isIn()) return;
  keep();
  drift = player.progress('drift');
  saveNow();
}

/** Offline it is kept here, and saved later. */
function saveNow() {
  player.save().catch(() => {});
}

function takeOff() {
  if (drift.height === 0 || drift.metres >= valley.length) return say('This flight is over: start over, or load.');
  isFlying = true;
  $('fly').textContent = 'Pause';
  say('');
}

function finish() {
  land();
  $('time').textContent = `${drift.seconds.toFixed(1)} seconds`;
  $('finish').showModal();
}

$('finish').addEventListener('close', () => {
  const name = $('name').value.trim();
  const seconds = Math.round(drift.seconds * 10) / 10;
  player.submit('valley/gull', seconds, name === '' ? {} : { name });
  submitForEverybody(player, seconds, name);
  startOver();
});

function startOver() {
  land();
  player.startOver();
  saveNow();
  drift = player.progress('drift');
  say('');
}

/** "Save here"; where all places are taken, the player is asked which one to give up. */
async function saveHere(instead) {
  keep();
  const name = `${Math.round(drift.metres)} m`;
  const summary = `${drift.feathers} ${drift.feathers === 1 ? 'feather' : 'feathers'}, ${Math.round(drift.height)} m high`;
  try {
    await player.checkpoint(name, { summary, instead });
    say(`Saved here: ${name}.`);
  } catch ({ code, message }) {
    if (code === 'checkpoint-exists') return saveHere(name);
    ask(code === 'checkpoints-full');
    return say(code === 'checkpoints-full' ? 'All places are taken. Which one do you give up?' : message);
  }
  return showCheckpoints();
}

async function load(name) {
  land();
  try {
    await player.restore(name);
    drift = player.progress('drift');
    say(`Back at ${name}.`);
  } catch ({ message }) {
    say(message);
  }
}

function ask(isAsking) {
  $('checkpoints').classList.toggle('asking', isAsking);
  $('which').textContent = isAsking ? 'Give up' : 'Load';
  $('save').textContent = isAsking ? 'Keep them all' : 'Save here';
}

async function showCheckpoints() {
  const list = await player.checkpoints().catch(() => []);
  ask(false);
  $('checkpoints').replaceChildren(
    ...list.map(({ name, summary }) => {
      const button = Object.assign(document.createElement('button'), { textContent: name, title: summary });
      button.append(Object.assign(document.createElement('small'), { textContent: summary }));
      button.onclick = () => (isAsking() ? saveHere(name) : load(name));
      return button;
    }),
  );
}

function showScores() {
  const { best, latest, entries = [] } = player.score('valley/gull');
  $('best').textContent = best === null ? 'none yet' : `${best.toFixed(1)} s`;
  $('last').textContent = latest === null ? 'none yet' : `${latest.toFixed(1)} s`;
  const lines = entries.map(({ value, name }) => `${value.toFixed(1)} s${name ? `  ${name}` : ''}`);
  $('entries').replaceChildren(
    ...lines.map((textContent) => Object.assign(document.createElement('li'), { textContent })),
  );
}

function showStatus({ connection, pending, isKept, why }) {
  const waiting = `${pending} ${pending === 1 ? 'change' : 'changes'}`;
  const lines = {
    starting: why ?? 'Joining …',
    online: pending === 0 ? 'Everything is saved.' : `${waiting} on the way …`,
    offline: `No connection: you play on what was last known here. ${waiting} ${pending === 1 ? 'waits' : 'wait'}.`,
    lost: 'You play in another tab now.',
    left: 'You have left.',
  };
  $('status').textContent = lines[connection] + (isKept ? '' : ' This device keeps nothing: stay until it is saved.');
  $('status').dataset.connection = connection;
  $('here').hidden = connection !== 'lost';
  for (const id of ['fly', 'save', 'over', 'invert']) $(id).disabled = !isIn();
}

function say(text) {
  $('said').textContent = text;
  clearTimeout(say.until);
  say.until = setTimeout(() => ($('said').textContent = ''), 8000);
}

$('fly').onclick = () => (isFlying ? land() : takeOff());
$('save').onclick = () => (isAsking() ? (ask(false), say('')) : saveHere());
$('over').onclick = startOver;
$('here').onclick = begin;
$('invert').onchange = () => player.put('preference/invert-pitch', $('invert').checked).then(saveNow);
addEventListener('keydown', ({ key }) => keys.add(key));
addEventListener('keyup', ({ key }) => keys.delete(key));
