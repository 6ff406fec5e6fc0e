/** The command line, from Ctrl+K on: what it shows is loaded when it is opened first. */
import { lazy, Suspense, useEffect, useState } from 'react';

const Panel = lazy(() => import('./CommandPanel.tsx'));

export function CommandLine() {
  const [open, setOpen] = useState(false);
  const [wanted, setWanted] = useState(false);
  useEffect(() => {
    const show = () => {
      setWanted(true);
      setOpen(true);
    };
    const onKey = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() !== 'k' || !(e.ctrlKey || e.metaKey)) return;
      e.preventDefault();
      setWanted(true);
      setOpen((o) => !o);
    };
    addEventListener('keydown', onKey);
    addEventListener('gl-command', show);
    return () => {
      removeEventListener('keydown', onKey);
      removeEventListener('gl-command', show);
    };
  }, []);
  return (
    wanted && (
      <Suspense fallback={null}>
        <Panel open={open} setOpen={setOpen} />
      </Suspense>
    )
  );
}
