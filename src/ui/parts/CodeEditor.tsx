/** An editor of text that means something: offers what could come next, marks what is wrong, and says what a word is. */
import { autocompletion, closeBrackets, completionKeymap, type Completion } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { bracketMatching } from '@codemirror/language';
import { forceLinting, linter } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, hoverTooltip, keymap, placeholder, tooltips } from '@codemirror/view';
import { useEffect, useRef } from 'react';

export interface Offer {
  /** What takes the place of what is typed from `from` on. */
  put: string;
  /** The same as it is shown. */
  label: string;
  from: number;
  about: string;
}
export interface Wrong {
  message: string;
  /** What is wrong; the whole text where that is not known. */
  from?: number;
  to?: number;
}

export interface EditorProps {
  value: string;
  change: (value: string) => void;
  label: string;
  hint?: string;
  /** Takes the focus when it comes up. */
  focus?: boolean;
  /** Enter does not begin a line. */
  oneLine?: boolean;
  /** Suggestions after a text. */
  offers?: (before: string) => Offer[];
  /** What is wrong with a text; nothing where it is right. */
  check?: (text: string) => Promise<Wrong | undefined>;
  /** What a word is. */
  about?: (word: string) => string | undefined;
  /** Ctrl and Enter, or Enter alone in one line. */
  done?: () => void;
}

const THEME = EditorView.theme({
  '&': {
    minHeight: 'inherit',
    maxHeight: '15rem',
    backgroundColor: 'var(--color-base-100)',
    fontSize: '12.5px',
  },
  '&.cm-focused': { outline: '2px solid var(--color-base-content)', outlineOffset: '1px' },
  '.cm-content': {
    fontFamily: 'var(--font-mono)',
    caretColor: 'var(--color-base-content)',
    padding: '5px 0',
  },
  '.cm-line': { padding: '0 8px' },
  '.cm-cursor': { borderLeftColor: 'var(--color-base-content)' },
  '.cm-placeholder': { color: 'var(--color-quiet)' },
  '.cm-tooltip': {
    backgroundColor: 'var(--color-base-100)',
    border: '1px solid var(--color-slate)',
    borderRadius: '4px',
    color: 'var(--color-base-content)',
    padding: '2px 0',
  },
  '.cm-tooltip-hover': { padding: '2px 8px', maxWidth: '28rem' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--color-base-300)',
    color: 'var(--color-base-content)',
  },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--font-mono)', fontSize: '12.5px' },
  '.cm-completionDetail': { fontStyle: 'normal', color: 'var(--color-quiet)' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--color-error)' },
});

export function CodeEditor(props: EditorProps) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  // the editor lives on while what is asked of it changes
  const now = useRef(props);
  now.current = props;
  const { value, label, hint, oneLine } = props;

  useEffect(() => {
    // its styles are put into a root of its own: in the page itself the security policy forbids them
    const root = place.current!.shadowRoot ?? place.current!.attachShadow({ mode: 'open' });
    const tips = root.appendChild(document.createElement('div'));
    const made = new EditorView({
      root,
      parent: root,
      state: EditorState.create({
        doc: now.current.value,
        extensions: [
          history(),
          bracketMatching(),
          closeBrackets(),
          autocompletion({
            icons: false,
            override: [
              ({ state, pos }) => {
                const offers = now.current.offers?.(state.sliceDoc(0, pos)) ?? [];
                if (!offers.length) return null;
                return {
                  from: offers[0]!.from,
                  options: offers.map(({ put, label, about }): Completion => ({
                    label,
                    apply: put,
                    detail: about,
                  })),
                };
              },
            ],
          }),
          linter(
            async ({ state }) => {
              const text = state.doc.toString();
              const wrong = await now.current.check?.(text);
              if (!wrong) return [];
              const from = Math.min(wrong.from ?? 0, text.length);
              const to = Math.min(wrong.to ?? text.length, text.length);
              return [{ from, to, severity: 'error', message: wrong.message }];
            },
            { delay: 300 },
          ),
          hoverTooltip(({ state }, pos) => {
            const word = state.wordAt(pos);
            const about = word && now.current.about?.(state.sliceDoc(word.from, word.to));
            if (!about) return null;
            return {
              pos: word.from,
              end: word.to,
              create: () => {
                const dom = document.createElement('div');
                dom.textContent = about;
                return { dom };
              },
            };
          }),
          keymap.of([
            ...(now.current.oneLine
              ? [{ key: 'Enter', run: () => (now.current.done?.(), true) }]
              : [{ key: 'Mod-Enter', run: () => (now.current.done?.(), true) }]),
            ...completionKeymap,
            ...historyKeymap,
            ...defaultKeymap,
          ]),
          tooltips({ position: 'fixed', parent: tips }),
          EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false' }),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) now.current.change(u.state.doc.toString());
          }),
          ...(hint ? [placeholder(hint)] : []),
          ...(oneLine
            ? [EditorState.transactionFilter.of((tr) => (tr.newDoc.lines > 1 ? [] : tr))]
            : [EditorView.lineWrapping]),
          THEME,
        ],
      }),
    });
    view.current = made;
    if (now.current.focus) made.focus();
    forceLinting(made);
    return () => {
      made.destroy();
      tips.remove();
    };
  }, [label, hint, oneLine]);

  useEffect(() => {
    const made = view.current;
    if (made && made.state.doc.toString() !== value)
      made.dispatch({ changes: { from: 0, to: made.state.doc.length, insert: value } });
  }, [value]);

  return <div ref={place} className={`rounded border border-slate ${oneLine ? '' : 'min-h-14'}`} />;
}
