// Loaded before the service itself, in each of its threads: ends the process,
// or the thread that writes, at one point between a commit and its answer.
// VEKKON_KILL_AT names the point; it counts from when VEKKON_KILL_WHEN, a file, is there.
import fs from 'node:fs';
import { ServerResponse } from 'node:http';
import { createRequire, syncBuiltinESMExports } from 'node:module';
import path from 'node:path';
import { isMainThread, parentPort } from 'node:worker_threads';

const point = process.env.VEKKON_KILL_AT;
const store = path.resolve(import.meta.dirname, '../../packages/store/package.json');

/** How many commits there were since it counts. */
let commits = 0;

/** What a process is killed by leaves no time for anything. */
function reach(here) {
  if (here !== point || !fs.existsSync(process.env.VEKKON_KILL_WHEN)) return;
  if (here === 'the thread ends') throw new Error('a fault that was made');
  process.kill(process.pid, 'SIGKILL');
  for (;;);
}

if (isMainThread) {
  const { end } = ServerResponse.prototype;
  ServerResponse.prototype.end = function (...content) {
    if (this.req.method === 'POST') reach('before the answer');
    return end.apply(this, content);
  };
} else {
  const Database = createRequire(store)('better-sqlite3');
  const { prepare } = Database.prototype;
  Database.prototype.prepare = function (sql) {
    const statement = prepare.call(this, sql);
    if (sql !== 'commit') return statement;
    const { run } = statement;
    statement.run = (...values) => {
      if (fs.existsSync(process.env.VEKKON_KILL_WHEN)) commits++;
      reach('before the commit');
      reach(`before commit ${commits}`);
      const done = run.apply(statement, values);
      reach('after the commit');
      reach(`after commit ${commits}`);
      return done;
    };
    return statement;
  };
  const { writeSync } = fs;
  fs.writeSync = (file, text, ...more) => {
    const written = writeSync(file, text, ...more);
    if (String(text).startsWith('{"commit"')) reach('after the note of the commit');
    return written;
  };
  syncBuiltinESMExports();
  const { postMessage } = parentPort;
  parentPort.postMessage = function (message, ...more) {
    if (message.answers?.length > 0) reach('before the outcome leaves the thread');
    return postMessage.call(this, message, ...more);
  };
  // Thrown outside of any command, as a fault in the thread itself would be.
  const { on } = parentPort;
  parentPort.on = function (name, listener) {
    return on.call(this, name, (message) => {
      if (typeof message === 'string') reach('the thread ends');
      listener(message);
    });
  };
}
