// The board of Gull Valley: the best of everybody, live, with one's own place marked.
const $ = (id) => document.getElementById(id);
const board = 'gull-valley';
let end = () => {};
let isThere = false;

/** Shows the board for as long as the page is open. A game whose manifest declares none goes on without it. */
export async function showEverybody(player) {
  end();
  isThere = await player.boards.top(board, { count: 1 }).then(
    () => true,
    () => false,
  );
  for (const id of ['everybody', 'whose', 'place']) $(id).hidden = !isThere;
  if (!isThere) return;
  const own = player.player?.id;
  const endWatch = player.boards.watch(board, { top: 5, players: own ? [own] : [] }, (view) => show(view, own));
  const endListening = player.onStanding((name, standing) => name === board && say(standing));
  end = () => (endWatch(), endListening());
}

/** A result for everybody to see, with the name that was typed at the finish. */
export function submitForEverybody(player, seconds, name) {
  if (!isThere) return;
  if (name !== '') sessionStorage.setItem('name', name);
  player.submit(board, seconds);
}

/** The board shows it from the next start on. */
export function nameTyped() {
  try {
    return sessionStorage.getItem('name') ?? undefined;
  } catch {
    return undefined;
  }
}

function show({ top, players }, own) {
  const isAbove = top.some(({ player }) => player === own);
  const lines = [...top, ...(isAbove ? [] : players)].map(({ rank, player, name, shown }) => {
    const who = player === own ? 'you' : (name ?? 'a pilot');
    const line = Object.assign(document.createElement('li'), { value: rank });
    line.textContent = `${shown.replace(' seconds', ' s')}  ${who}`;
    line.classList.toggle('own', player === own);
    return line;
  });
  if (lines.length === 0) lines.push(Object.assign(document.createElement('li'), { textContent: 'Nobody yet.' }));
  $('everybody').replaceChildren(...lines);
  $('everybody').classList.toggle('empty', top.length === 0);
}

/** What became of a result, once it is saved. */
function say({ kept, doubtful, rank, rankBefore, of, bestBefore }) {
  const moved = rankBefore === null || rankBefore === rank ? '' : `, from ${rankBefore}`;
  if (doubtful) $('place').textContent = 'So fast that somebody will look at it first.';
  else if (!kept) $('place').textContent = `Your best stays ${bestBefore} s: place ${rank} of ${of}.`;
  else $('place').textContent = `Your best so far: place ${rank} of ${of}${moved}.`;
}
