/** The editor, which is loaded when it is first wanted. */
import { lazy, Suspense } from 'react';
import type { EditorProps } from './CodeEditor.tsx';
import { useMounted } from './mounted.ts';

const Loaded = lazy(() => import('./CodeEditor.tsx').then((m) => ({ default: m.CodeEditor })));

export function Editor(props: EditorProps) {
  const place = (
    <span className={`block rounded border border-slate ${props.oneLine ? 'h-8' : 'min-h-24'}`} />
  );
  return useMounted() ? (
    <Suspense fallback={place}>
      <Loaded {...props} />
    </Suspense>
  ) : (
    place
  );
}
