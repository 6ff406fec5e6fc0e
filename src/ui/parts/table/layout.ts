/** A table's layout as it stands in the address, so that a view that is kept or sent on keeps it. */

export interface Layout {
  /** Keys in order; those that are not in it come after, as they are declared. */
  order: string[];
  hidden: string[];
  pinned: string[];
  /** Widths in pixels, where one was set. */
  widths: Record<string, number>;
  density: Density;
}
export const DENSITIES = ['compact', 'regular', 'relaxed'] as const;
export type Density = (typeof DENSITIES)[number];

/** What a row's height becomes. */
export const heightOf = (base: number, density: Density): number =>
  density === 'compact' ? base - 6 : density === 'relaxed' ? base + 8 : base;

/** Widths that a column can be dragged to, in pixels. */
export const [NARROWEST, WIDEST] = [44, 1200];

/**
 * Reads a layout: keys with commas, in order; `-` before one that is hidden, `^` behind one that is pinned, `~120`
 * for its width; `compact` or `relaxed` after a semicolon. What is not understood, and columns that do not exist,
 * are left out: an address may be old.
 */
export function readLayout(text: string | null, keys: readonly string[], pinned: readonly string[]): Layout {
  const [columns = '', density = ''] = (text ?? '').split(';');
  const layout: Layout = {
    order: [],
    hidden: [],
    pinned: text === null ? [...pinned] : [],
    widths: {},
    density: DENSITIES.find((d) => d === density) ?? 'regular',
  };
  for (const part of columns.split(',')) {
    const m = /^(-?)([\w-]+?)(?:~(\d{1,4}))?(\^?)$/.exec(part);
    const key = m?.[2];
    if (!m || !key || !keys.includes(key) || layout.order.includes(key)) continue;
    layout.order.push(key);
    if (m[1]) layout.hidden.push(key);
    if (m[3]) layout.widths[key] = Math.max(NARROWEST, Math.min(WIDEST, Number(m[3])));
    if (m[4]) layout.pinned.push(key);
  }
  if (columns === '') layout.pinned = [...pinned];
  for (const k of keys) if (!layout.order.includes(k)) layout.order.push(k);
  return layout;
}

/** The same as text; undefined where it is as the table is declared. */
export function writeLayout(
  l: Layout,
  keys: readonly string[],
  pinned: readonly string[],
): string | undefined {
  const columns = l.order
    .map(
      (k) =>
        `${l.hidden.includes(k) ? '-' : ''}${k}${l.widths[k] ? `~${Math.round(l.widths[k])}` : ''}${l.pinned.includes(k) ? '^' : ''}`,
    )
    .join(',');
  const declared = keys.map((k) => `${k}${pinned.includes(k) ? '^' : ''}`).join(',');
  const density = l.density === 'regular' ? '' : `;${l.density}`;
  if (columns === declared) return density || undefined;
  return `${columns}${density}`;
}

/** The least width of a grid track, in pixels. */
export function leastOf(track: string): number {
  const px = /(\d+(?:\.\d+)?)px/.exec(track);
  return px ? Number(px[1]) : 120;
}
