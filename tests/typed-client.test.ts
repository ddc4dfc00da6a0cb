import { expect } from 'chai';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import ts from 'typescript';
import { vekkon } from './world/process.js';

const here = path.dirname(fileURLToPath(import.meta.url));

/** What a programmer writes in their editor: each line is right, or is marked as one that the compiler must refuse. */
const game = `
import { VekkonHost, type HostSession } from '@vekkon/client';
import type { HighfellGliders } from './game.js';

export async function play(host: VekkonHost<HighfellGliders>): Promise<void> {
  const session: HostSession<HighfellGliders> = await host.join('p-10442');
  const charted: readonly string[] = session.progress('flight').charted;
  const chapter: number = session.progress('flight').chapter;
  const span: number = session.progress('glider/heron').span;
  const climbs: number | undefined = session.value('climbs');
  const size: 'small' | 'medium' | 'large' = session.preference('subtitle-size');
  const lift: number = session.inventory('hangar').pieces['wing-1'].traits.lift;
  const patches: number | undefined = session.inventory('pack').stacks['silk-patch'];
  session.credit('feather', 30, 'climb 8812');
  session.set('opal', 5);
  session.put('climbs', chapter + span + lift);
  session.put('preference/invert-pitch', true);
  session.merge('flight', { metres: 12 });
  session.gain('pack', 'flare', 2);
  session.gainPiece('hangar', 'wing', 'wing-1', { lift: 1.2 });
  session.submit('gorge-run', 61_250);
  session.submit('valley/Fox Valley', 31.5, { name: 'MRN' });
  session.transaction('trade', (draft) => draft.debit('feather', 8, 'patch'));
  // @ts-expect-error a field that is not declared
  session.progress('flight').chartered;
  // @ts-expect-error a record that is not declared
  session.progress('flihgt');
  // @ts-expect-error a family without its member
  session.progress('glider');
  // @ts-expect-error a currency with a typo
  session.credit('fether', 30, 'climb');
  // @ts-expect-error an amount that is text
  session.credit('feather', '30', 'climb');
  // @ts-expect-error a value of another type
  session.put('climbs', 'many');
  // @ts-expect-error a value that is not among those
  session.put('preference/subtitle-size', 'huge');
  // @ts-expect-error a field of another type
  session.merge('flight', { chapter: '4' });
  // @ts-expect-error an item that does not come in stacks
  session.gain('pack', 'wing', 1);
  // @ts-expect-error a trait that is not declared
  session.gainPiece('hangar', 'wing', 'wing-2', { lfit: 1 });
  // @ts-expect-error a board with a typo
  session.submit('gorge-runs', 1);
  // @ts-expect-error in a transaction too
  session.transaction('trade', (draft) => draft.debit('feathers', 8, 'patch'));
  await session.leave();
  void [charted, climbs, size, patches];
}

export async function playUntyped(host: VekkonHost): Promise<void> {
  const session = await host.join('p-10442');
  session.credit('feather', 30, 'climb 8812');
  session.put('flight', { chapter: 2 });
  await session.leave();
}
`;

describe('types from a manifest', () => {
  const folder = mkdtempSync(path.join(here, 'typed-'));
  after(() => rmSync(folder, { recursive: true }));

  it('let the compiler complete and check names and values, and the client works without them', async () => {
    const { out, status } = await vekkon(['manifest', 'types', 'packages/demo/highfell-gliders.yaml']).ended;
    expect(status).to.equal(0);
    writeFileSync(path.join(folder, 'game.d.ts'), out);
    writeFileSync(path.join(folder, 'play.ts'), game);
    const program = ts.createProgram([path.join(folder, 'play.ts')], {
      strict: true,
      noEmit: true,
      skipLibCheck: true,
      target: ts.ScriptTarget.ES2023,
      module: ts.ModuleKind.NodeNext,
      moduleResolution: ts.ModuleResolutionKind.NodeNext,
      types: ['node'],
    });
    const found = ts.getPreEmitDiagnostics(program).map(({ messageText, file, start }) => {
      const line = file === undefined ? 0 : file.getLineAndCharacterOfPosition(start ?? 0).line;
      return `${game.split('\n')[line]?.trim()}: ${ts.flattenDiagnosticMessageText(messageText, ' ')}`;
    });
    expect(found).to.deep.equal([]);
  });
});
