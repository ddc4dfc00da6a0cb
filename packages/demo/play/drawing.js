import { feathers, thermals, valley } from './air.js';

/** A pilot's paper map, seen from the side: hills in layers, contour lines on them, and the air in pine. */
const ink = { paper: '#fbf4e2', dusk: '#efdfba', earth: '#a07a45', line: '#c9ae7e', pine: '#1f5a63', route: '#b5412a' };
const hills = [
  { from: 0.62, swing: 0.1, wave: 0.0021, drift: 0.12, fill: '#e9d9b3', lean: 0.4 },
  { from: 0.72, swing: 0.09, wave: 0.0033, drift: 0.3, fill: '#dfc998', lean: 2.1 },
  { from: 0.84, swing: 0.07, wave: 0.0052, drift: 0.62, fill: '#cdb47f', lean: 1.2 },
];
/** How many points of the canvas a metre is, and where the glider is. */
const scale = 1.55;
const here = 0.26;

/**
 * Draws the flight.
 *
 * @param canvas fills its place on the page, whatever the density of the screen
 * @param drift  where the glider is
 * @param pitch  from -1, nose down, to 1, nose up
 * @param time   in seconds, for what moves by itself
 */
export function draw(canvas, drift, pitch, time) {
  const { clientWidth: width, clientHeight: height } = canvas;
  const density = devicePixelRatio;
  if (canvas.width !== width * density) Object.assign(canvas, { width: width * density, height: height * density });
  const pen = canvas.getContext('2d');
  pen.setTransform(density, 0, 0, density, 0, 0);
  const across = (metres) => width * here + (metres - drift.metres) * scale;
  const up = (metres) => height * 0.9 - (metres / valley.ceiling) * height * 0.82;
  sky(pen, width, height);
  const inSight = thermals.filter(({ x }) => Math.abs(across(x) - width / 2) < width);
  for (const { x, width: reach } of inSight) column(pen, across(x), reach * scale, height);
  for (const hill of hills) layer(pen, hill, drift.metres * scale, width, height);
  for (const { x, width: reach, strength } of inSight) thermal(pen, across(x), reach * scale, up, strength, time);
  camp(pen, across(valley.length), up(0));
  for (const { x, height: at } of feathers) {
    if (x > drift.metres) feather(pen, across(x), up(at) + Math.sin(time * 1.6 + x) * 3, Math.sin(time + x) * 0.4);
  }
  ruler(pen, up, height);
  glider(pen, across(drift.metres), up(drift.height), pitch);
}

function sky(pen, width, height) {
  const fill = pen.createLinearGradient(0, 0, 0, height);
  fill.addColorStop(0, ink.paper);
  fill.addColorStop(1, ink.dusk);
  pen.fillStyle = fill;
  pen.fillRect(0, 0, width, height);
  pen.strokeStyle = ink.line;
  for (let ring = 0; ring < 4; ring++) {
    pen.globalAlpha = 0.7 - ring * 0.16;
    pen.lineWidth = 1;
    pen.beginPath();
    pen.arc(width * 0.8, height * 0.2, 26 + ring * 13, 0, 2 * Math.PI);
    pen.stroke();
  }
  pen.globalAlpha = 1;
}

/** One layer of hills, with contour lines that follow its crest. */
function layer(pen, { from, swing, wave, drift, fill, lean }, moved, width, height) {
  const crest = (x, depth) => {
    const at = (x + moved * drift) * wave + lean;
    const hill = Math.sin(at) + 0.45 * Math.sin(at * 2.3 + lean) + 0.2 * Math.sin(at * 5.1);
    return height * (from - swing * hill * (1 - depth * 0.08)) + depth * 15;
  };
  const trace = (depth) => {
    pen.beginPath();
    for (let x = 0; x <= width + 12; x += 12) pen.lineTo(x, crest(x, depth));
  };
  trace(0);
  pen.lineTo(width + 12, height);
  pen.lineTo(0, height);
  pen.fillStyle = fill;
  pen.fill();
  pen.strokeStyle = ink.earth;
  for (let depth = 0; depth < 7; depth++) {
    pen.globalAlpha = depth === 0 ? 0.75 : 0.28;
    pen.lineWidth = depth % 4 === 0 ? 1.3 : 0.7;
    trace(depth);
    pen.stroke();
  }
  pen.globalAlpha = 1;
}

/** Where air rises it is a little greener. */
function column(pen, x, reach, height) {
  const fill = pen.createLinearGradient(x - reach, 0, x + reach, 0);
  fill.addColorStop(0, '#1f5a6300');
  fill.addColorStop(0.5, '#1f5a631c');
  fill.addColorStop(1, '#1f5a6300');
  pen.fillStyle = fill;
  pen.fillRect(x - reach, 0, reach * 2, height);
}

/** Rising air: strokes that curl upwards, the stronger the denser. */
function thermal(pen, x, reach, up, strength, time) {
  pen.strokeStyle = ink.pine;
  pen.lineCap = 'round';
  const strokes = Math.round(strength * 0.8);
  for (let stroke = 0; stroke < strokes; stroke++) {
    const share = (stroke / strokes + time * 0.055) % 1;
    const side = Math.sin(stroke * 2.4) * reach * 0.55;
    const y = up(share * valley.ceiling);
    pen.globalAlpha = 0.5 * Math.sin(share * Math.PI);
    pen.lineWidth = 1.6;
    pen.beginPath();
    pen.moveTo(x + side, y + 22);
    pen.bezierCurveTo(x + side + 9, y + 12, x + side - 9, y + 4, x + side + 3, y - 10);
    pen.stroke();
  }
  pen.globalAlpha = 1;
}

function feather(pen, x, y, turn) {
  pen.save();
  pen.translate(x, y);
  pen.rotate(turn - 0.7);
  pen.scale(1.25, 1.25);
  pen.fillStyle = ink.paper;
  pen.strokeStyle = ink.pine;
  pen.lineWidth = 1.2;
  pen.beginPath();
  pen.moveTo(-13, 0);
  pen.quadraticCurveTo(-2, -8, 13, -1);
  pen.quadraticCurveTo(0, 7, -13, 0);
  pen.fill();
  pen.stroke();
  pen.beginPath();
  pen.moveTo(-18, 1);
  pen.lineTo(11, -1);
  pen.stroke();
  pen.restore();
}

/** Where the valley ends: a tent, and a pennant in the colour of the route. */
function camp(pen, x, y) {
  pen.fillStyle = ink.paper;
  pen.strokeStyle = ink.pine;
  pen.lineWidth = 1.5;
  pen.beginPath();
  pen.moveTo(x, y - 34);
  pen.lineTo(x + 30, y + 6);
  pen.lineTo(x - 30, y + 6);
  pen.closePath();
  pen.fill();
  pen.stroke();
  pen.beginPath();
  pen.moveTo(x, y - 34);
  pen.lineTo(x, y - 74);
  pen.stroke();
  pen.fillStyle = ink.route;
  pen.beginPath();
  pen.moveTo(x, y - 74);
  pen.lineTo(x + 26, y - 66);
  pen.lineTo(x, y - 57);
  pen.fill();
}

function ruler(pen, up, height) {
  pen.fillStyle = pen.strokeStyle = ink.earth;
  pen.font = `${Math.max(11, height * 0.024)}px Georgia, serif`;
  pen.lineWidth = 1;
  for (let metres = 0; metres <= valley.ceiling; metres += 100) {
    pen.beginPath();
    pen.moveTo(0, up(metres));
    pen.lineTo(metres % 200 === 0 ? 14 : 8, up(metres));
    pen.stroke();
    if (metres % 200 === 0) pen.fillText(`${metres} m`, 19, up(metres) + 4);
  }
}

/** Paper and silk: two panes on a spar, and behind it the way that it came, dotted as a route on a map. */
function glider(pen, x, y, pitch) {
  pen.strokeStyle = ink.route;
  pen.setLineDash([3, 8]);
  pen.lineWidth = 2.2;
  pen.beginPath();
  pen.moveTo(x - 24, y + 2);
  pen.quadraticCurveTo(x - 90, y + 3 + pitch * 22, x - 170, y + 4 + pitch * 44);
  pen.stroke();
  pen.setLineDash([]);
  pen.save();
  pen.translate(x, y);
  pen.rotate(-pitch * 0.32);
  pen.scale(1.3, 1.3);
  const pane = (points, fill) => {
    pen.beginPath();
    for (const [px, py] of points) pen.lineTo(px, py);
    pen.closePath();
    pen.fillStyle = fill;
    pen.fill();
    pen.strokeStyle = ink.pine;
    pen.lineWidth = 1.5;
    pen.lineJoin = 'round';
    pen.stroke();
  };
  pane(
    [
      [30, 2],
      [-22, -20],
      [-10, 1],
    ],
    ink.paper,
  );
  pane(
    [
      [30, 2],
      [-26, 13],
      [-10, 1],
    ],
    ink.route,
  );
  pane(
    [
      [-10, 1],
      [-26, 13],
      [-20, 20],
    ],
    ink.pine,
  );
  pen.restore();
}
