/** How many files of each weight something could read: a bar for each, the heaviest first, and the number of heavy ones. */
import { HEAVY } from '../../core/exposure/exposure.ts';
import { count, plural } from './marks.tsx';

/** Shades of plum by weight, 1 to 4. */
const SHADE = ['', 'fill-plum/25', 'fill-plum/45', 'fill-plum/70', 'fill-plum'];
const HEIGHT = 12;
/** A bar that is as long fills its place; a longer one is drawn shorter. */
const FULL = 16;

/**
 * `files`: by weight, 0 to 4. Ten times as many are as much longer as ten times as many again: few that are heavy stay visible beside
 * many that are not.
 */
export function ByWeight({ files, wide }: { files: readonly number[]; wide: number }) {
  const lengths = files.map((n) => (n ? 1 + Math.log10(n) : 0));
  const unit =
    wide /
    Math.max(
      FULL,
      lengths.reduce((sum, n) => sum + n, 0),
    );
  const heavy = files.slice(HEAVY).reduce((sum, n) => sum + n, 0);
  const said = [4, 3, 2, 1, 0]
    .flatMap((w) => (files[w] ? `${plural(files[w], 'file')} of weight ${w}` : []))
    .join(', ');
  let x = 0;
  return (
    <span className="flex items-center gap-2" title={said || 'no files'}>
      <svg width={wide} height={HEIGHT} role="img" aria-label={said || 'no files'} className="shrink-0">
        {[4, 3, 2, 1].map((w) => {
          const length = lengths[w]! * unit;
          const at = x;
          x += length;
          return (
            <rect key={w} x={at} y={0} width={Math.max(0, length - 1)} height={HEIGHT} className={SHADE[w]} />
          );
        })}
        <line x1={x} x2={x + lengths[0]! * unit} y1={HEIGHT / 2} y2={HEIGHT / 2} className="stroke-slate" />
      </svg>
      <span className="truncate">
        {heavy ? (
          <>
            <b>{count(heavy)}</b> heavy
          </>
        ) : files.some(Boolean) ? (
          <span className="text-quiet">none heavy</span>
        ) : (
          <span className="text-quiet">no files</span>
        )}
      </span>
    </span>
  );
}
