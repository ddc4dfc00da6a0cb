import { json } from '@codemirror/lang-json';
import { linter } from '@codemirror/lint';
import { EditorView } from '@codemirror/view';
import { basicSetup } from 'codemirror';
import type { JsonMistake } from './json-mistakes.js';

/** An editor for JSON in a page, with marks where something is wrong. */
export function openJsonEditor(
  parent: HTMLElement,
  text: string,
  options: {
    readonly label: string;
    readonly changed: (text: string) => void;
    readonly mistakeIn: (text: string) => JsonMistake | undefined;
  },
) {
  const marks = linter(
    (view) => {
      const mistake = options.mistakeIn(view.state.doc.toString());
      if (mistake === undefined) return [];
      const to = Math.min(mistake.to, view.state.doc.length);
      return [{ from: Math.min(mistake.from, to), to, severity: 'error' as const, message: mistake.detail }];
    },
    { delay: 100 },
  );
  const look = EditorView.theme({
    '&': { fontSize: '0.9rem', color: 'var(--p-text-color)' },
    '.cm-gutters': { background: 'transparent', color: 'var(--p-text-muted-color)', border: 'none' },
    '.cm-activeLine, .cm-activeLineGutter': { background: 'transparent' },
    '.cm-cursor': { borderLeftColor: 'var(--p-text-color)' },
    '&.cm-focused': { outline: '2px solid var(--route)' },
  });
  const view = new EditorView({
    parent,
    doc: text,
    extensions: [
      basicSetup,
      json(),
      marks,
      look,
      EditorView.contentAttributes.of({ 'aria-label': options.label }),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) options.changed(update.state.doc.toString());
      }),
    ],
  });
  return {
    destroy: () => view.destroy(),
    text: () => view.state.doc.toString(),
    show: (shown: string) => view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: shown } }),
  };
}
