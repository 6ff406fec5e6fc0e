import { useEffect, useState } from 'react';
import type { Reading as HowFar } from '../../dto/surveys.ts';
import { get } from './api.ts';
import { count, Trouble } from '../parts/marks.tsx';

const EVERY = 1000;

/** In place of every page, until the last survey is read after a start; then the page that was asked for. */
export default function Reading() {
  const [at, setAt] = useState<HowFar>();
  const [trouble, setTrouble] = useState<unknown>();
  useEffect(() => {
    let gone = false;
    let timer: ReturnType<typeof setTimeout>;
    const ask = async () => {
      try {
        const now = await get('/api/reading');
        if (gone) return;
        if (!now) return location.reload();
        setAt(now);
        setTrouble(undefined);
      } catch (e) {
        setTrouble(e);
      }
      timer = setTimeout(() => void ask(), EVERY);
    };
    void ask();
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, []);
  const all = at?.of && at.rows >= at.of;
  return (
    <main className="grid h-dvh place-items-center">
      <div className="flex w-full max-w-md flex-col gap-3 px-6">
        <h1 className="text-xl font-bold">Reading the last survey</h1>
        <p className="text-quiet">
          Gate Lantern has just started. Nothing is lost: your page opens as soon as this is done.
        </p>
        <progress
          className="progress w-full"
          aria-label="Rows read"
          {...(at?.of && { value: Math.min(at.rows, at.of), max: at.of })}
        />
        <p aria-live="polite" className="tabular-nums">
          {!at
            ? 'Starting'
            : all
              ? 'All rows are read. Working out who reaches what, and what is exposed.'
              : `${count(at.rows)}${at.of ? ` of ${count(at.of)}` : ''} rows`}
        </p>
        {trouble !== undefined && <Trouble error={trouble} />}
      </div>
    </main>
  );
}
