import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import ts from 'typescript';
import { expect } from 'chai';

/** The files under a folder that TypeScript reads, by their paths. */
function sourcesUnder(folder: string): readonly string[] {
  return readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.ts') && !name.includes('node_modules'))
    .map((name) => path.join(folder, name));
}

/** What each file imports of the others, types included. */
function importsOf(files: readonly string[]): ReadonlyMap<string, readonly string[]> {
  const known = new Set(files);
  const asSource = (file: string, name: string) => path.resolve(path.dirname(file), name).replace(/\.js$/, '.ts');
  return new Map(
    files.map((file) => {
      const { importedFiles } = ts.preProcessFile(readFileSync(file, 'utf8'));
      const names = importedFiles.map(({ fileName }) => asSource(file, fileName));
      return [file, names.filter((name) => known.has(name))];
    }),
  );
}

/** Ways by which files import themselves, each from a file back to it. */
function circlesIn(imports: ReadonlyMap<string, readonly string[]>): readonly string[] {
  const circles: string[] = [];
  const done = new Set<string>();
  const way: string[] = [];
  const visit = (file: string): void => {
    if (way.includes(file)) {
      const names = [...way.slice(way.indexOf(file)), file].map((one) => path.basename(one));
      circles.push(names.join(' → '));
    } else if (!done.has(file)) {
      way.push(file);
      for (const other of imports.get(file) ?? []) visit(other);
      way.pop();
      done.add(file);
    }
  };
  for (const file of imports.keys()) visit(file);
  return circles;
}

/** Tells of each module that is loaded, by its URL, a line each. */
const tellsOfModules = (() => {
  const asUrl = (code: string) => `data:text/javascript,${encodeURIComponent(code)}`;
  const hook = `import { writeSync } from 'node:fs';
    export const load = (url, context, next) => (writeSync(1, url + '\\n'), next(url, context));`;
  return asUrl(`import { register } from 'node:module'; register(${JSON.stringify(asUrl(hook))});`);
})();

/** Whether a package is loaded by whoever imports some module. */
function loads(module: string, name: string): boolean {
  const args = ['--import', tellsOfModules, '--input-type=module', '--eval', `await import(${JSON.stringify(module)})`];
  const told = execFileSync(process.execPath, args, { cwd: path.join(packages, 'service'), encoding: 'utf8' });
  return told.split('\n').some((url) => url.includes(`/node_modules/${name}/`));
}

const packages = path.join(import.meta.dirname, '../packages');

describe('the house', () => {
  it('has no file that imports itself round a corner', () => {
    const files = readdirSync(packages).flatMap((name) => sourcesUnder(path.join(packages, name, 'src')));
    expect(files).to.have.length.greaterThan(400);
    expect(circlesIn(importsOf(files))).to.deep.equal([]);
  });

  it('would notice one', () => {
    const folder = mkdtempSync(path.join(tmpdir(), 'vekkon-house-'));
    mkdirSync(path.join(folder, 'deck'));
    const write = (name: string, text: string) => {
      writeFileSync(path.join(folder, name), text);
    };
    write('wing.ts', "import { spar } from './deck/spar.js';\nexport const wing = spar;\n");
    write('deck/spar.ts', "export { rib as spar } from '../rib.js';\n");
    write('rib.ts', "import type { Wing } from './wing.js';\nexport const rib: Wing = 1;\n");
    write('tail.ts', "export * from './wing.js';\n");
    const [circle, ...others] = circlesIn(importsOf(sourcesUnder(folder)));
    expect(others).to.deep.equal([]);
    expect(circle?.split(' → ').toSorted()).to.have.members(['rib.ts', 'spar.ts', 'wing.ts', circle?.split(' ')[0]]);
    rmSync(folder, { recursive: true });
  });

  it("loads no checker of patterns in the service's own thread, and no shapes of requests in those of the store", () => {
    expect(loads('@vekkon/core/manifest-file', 'recheck')).to.equal(true);
    expect(loads('@vekkon/service', 'recheck')).to.equal(false);
    expect(loads('@vekkon/protocol', 'zod')).to.equal(true);
    for (const thread of ['writer/writer-thread', 'reader/reading-thread']) {
      expect(loads(path.join(packages, `store/dist/${thread}.js`), 'zod'), thread).to.equal(false);
    }
  });
});
