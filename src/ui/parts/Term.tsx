/** What our words mean, said where they stand: the catalogue is docs/terms.md. */
import { Tooltip } from 'radix-ui';
import type { ReactNode } from 'react';
import catalogue from '../../../docs/terms.md?raw';

/** Meanings by term, in small letters; several terms may share one line. */
const MEANINGS: ReadonlyMap<string, string> = new Map(
  [...catalogue.matchAll(/^\| (?!term|---)([^|]+) \| ([^|]+) \|$/gm)].flatMap(([, terms, meaning]) =>
    terms!.split(',').map((t): [string, string] => [
      t.trim().toLowerCase(),
      meaning!
        .trim()
        .replaceAll(/[*`]/g, '')
        .replace(/^./, (c) => c.toUpperCase()) + '.',
    ]),
  ),
);

/** The meaning of a term, in one or more words as shown. */
export const meaningOf = (words: string): string | undefined => MEANINGS.get(words.toLowerCase());

/** A word of ours: what it means comes with the pointer or the focus. Other words stand as they are. */
export function Term({ of, children }: { of: string; children: ReactNode }) {
  const meaning = meaningOf(of);
  if (!meaning) return <>{children}</>;
  return (
    <Tooltip.Provider delayDuration={400}>
      <Tooltip.Root>
        <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
        <Tooltip.Portal>
          <Tooltip.Content
            sideOffset={4}
            collisionPadding={8}
            className="z-50 max-w-72 rounded border border-slate bg-base-100 px-3 py-1.5 text-[13px] font-normal text-base-content shadow-lg"
          >
            {meaning}
          </Tooltip.Content>
        </Tooltip.Portal>
      </Tooltip.Root>
    </Tooltip.Provider>
  );
}
