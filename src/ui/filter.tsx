/** What every table's view shares: a box that filters by text, and a dossier that can be pinned. */
import { Search } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import type { SetUrl } from './url.ts';

/** Filters by the parameter `text`, a moment after the last key; `/` goes to it from anywhere. */
export function FilterBox({
  value,
  set,
  label,
  placeholder,
  width = 'w-44',
}: {
  value: string | undefined;
  set: SetUrl;
  label: string;
  placeholder: string;
  width?: string;
}) {
  const [typed, setTyped] = useState(value ?? '');
  const box = useRef<HTMLInputElement>(null);
  useEffect(() => {
    const timer = setTimeout(() => set({ text: typed }), 250);
    return () => clearTimeout(timer);
  }, [typed, set]);
  useEffect(() => {
    // dropped or chosen elsewhere; while one is typing, what is typed counts
    if (document.activeElement !== box.current) setTyped(value ?? '');
  }, [value]);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key !== '/' || e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement)
        return;
      e.preventDefault();
      box.current?.focus();
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  return (
    <label className={`input input-sm ${width}`}>
      <Search size={14} aria-hidden className="text-quiet" />
      <input
        ref={box}
        type="search"
        aria-label={label}
        placeholder={placeholder}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
      />
      <kbd className="kbd kbd-xs">/</kbd>
    </label>
  );
}

/** Which dossier is shown: the selected row's, unless another was pinned; `drop` unselects. */
export function usePinned<Key>(
  selected: Key | undefined,
  drop: () => void,
): { shown: Key | undefined; pinning: { pinned: boolean; pin: () => void; close: () => void } } {
  const [pinned, setPinned] = useState<Key>();
  const shown = pinned ?? selected;
  return {
    shown,
    pinning: {
      pinned: pinned !== undefined,
      pin: () => setPinned(pinned === undefined ? shown : undefined),
      close: () => {
        setPinned(undefined);
        drop();
      },
    },
  };
}
