/** Our marks: the beam for reach, the bars for weight, words and small icons for state. */
import { AlertTriangle, Check, CircleDashed, Clock, Loader, RotateCcw, X } from 'lucide-react';
import type { ReactNode } from 'react';
import { TIERS, type Tier } from '../../core/model.ts';
import { ago, exactly, whenWords } from './dates.ts';

const NOTCHES = TIERS.length;

/** A wedge that opens to the right over seven notches: filled as far as now, outlined on to could. */
export function Beam({
  now,
  could,
  words = true,
  large = false,
}: {
  now: Tier;
  could: Tier;
  words?: boolean;
  large?: boolean;
}) {
  const [w, h] = large ? [196, 34] : [84, 18];
  const n = TIERS.indexOf(now) + 1;
  const c = Math.max(n, TIERS.indexOf(could) + 1);
  const x = (k: number) => 1 + (k / NOTCHES) * (w - 2);
  const half = (k: number) => 1.2 + (k / NOTCHES) * (h / 2 - 2.2);
  const wedge = (from: number, to: number) =>
    `M${x(from)} ${h / 2 - half(from)}L${x(to)} ${h / 2 - half(to)}L${x(to)} ${h / 2 + half(to)}L${x(from)} ${h / 2 + half(from)}Z`;
  const notches = (count: number) =>
    Array.from(
      { length: count },
      (_, k) => `M${x(k + 1)} ${h / 2 - half(k + 1)}V${h / 2 + half(k + 1)}`,
    ).join('');
  const label = now === could ? `Reach: ${now}` : `Reach: now ${now}, could be ${could}`;
  return (
    <span className="inline-flex items-center gap-2 whitespace-nowrap">
      <svg width={w} height={h} viewBox={`0 0 ${w} ${h}`} role="img" aria-label={label} className="shrink-0">
        <path d={notches(NOTCHES)} className="stroke-slate" />
        <path d={wedge(0, n)} className="fill-beam" />
        <path d={notches(n - 1)} className="stroke-base-100" />
        {c > n && <path d={wedge(n, c)} fill="none" className="stroke-beam-edge" strokeWidth="1.25" />}
      </svg>
      {words && (
        <span>
          {now}
          {could !== now && <span className="text-quiet">, could be {could}</span>}
        </span>
      )}
    </span>
  );
}

/** A number with a bar beside it, as long as its share of the most. */
export function Share({ of, most, wide = 36 }: { of: number; most: number; wide?: number }) {
  return (
    <span className="flex w-full items-center gap-2">
      <b className="min-w-8 flex-1 text-right">{of.toLocaleString('en')}</b>
      <svg width={wide} height="6" className="shrink-0" aria-hidden>
        <rect width={wide} height="6" className="fill-base-300" />
        <rect width={(wide * of) / Math.max(1, most)} height="6" className="fill-quiet" />
      </svg>
    </span>
  );
}

/** A stack of up to four bars. */
export function Weight({ weight, words = false }: { weight: number; words?: boolean }) {
  return (
    <span className="inline-flex items-center gap-2 whitespace-nowrap">
      <svg
        width="16"
        height="18"
        viewBox="0 0 16 18"
        role="img"
        aria-label={`Weight ${weight} of 4`}
        className="shrink-0"
      >
        {[0, 1, 2, 3].map((k) => (
          <rect
            key={k}
            x="0.5"
            y={13.5 - k * 4.2}
            width="15"
            height="3"
            rx="0.8"
            className={k < weight ? 'fill-plum' : 'fill-none stroke-slate'}
            strokeWidth="1"
          />
        ))}
      </svg>
      {words && <span>weight {weight}</span>}
    </span>
  );
}

const ICONS = {
  done: Check,
  running: Loader,
  waiting: CircleDashed,
  trouble: AlertTriangle,
  failed: X,
  back: RotateCcw,
  later: Clock,
};

/** A number as it is read. */
export const count = (n: number): string => n.toLocaleString('en');

/** A state in words with a small icon; brick only for what failed. */
export function State({ icon, children }: { icon: keyof typeof ICONS; children: ReactNode }) {
  const Icon = ICONS[icon];
  const bad = icon === 'failed' || icon === 'trouble';
  return (
    <span className={`inline-flex items-center gap-1.5 ${bad ? 'text-error' : ''}`}>
      <Icon aria-hidden size={14} className={icon === 'running' ? 'animate-spin' : ''} />
      <span>{children}</span>
    </span>
  );
}

export const plural = (n: number, one: string, many = `${one}s`): string =>
  `${count(n)} ${n === 1 ? one : many}`;

export function When({ at }: { at: string | null | undefined }) {
  if (!at) return <span className="text-quiet">not yet</span>;
  return (
    <time dateTime={at} title={`${exactly(at)} (${ago(at)})`} suppressHydrationWarning>
      {whenWords(at)}
    </time>
  );
}

/** An empty screen: what would be here, and the one thing to do next. */
export function Empty({ children, action }: { children: ReactNode; action?: ReactNode }) {
  return (
    <div className="flex h-full flex-col items-center justify-center gap-4 p-10 text-center">
      <Beam now="sole" could="sole" words={false} large />
      <p className="max-w-md text-base text-quiet">{children}</p>
      {action}
    </div>
  );
}

/** The way to where surveys are run, where nothing was surveyed yet. */
export const ToSources = () => (
  <a className="btn btn-primary btn-sm" href="/survey/sources">
    Go to Survey › Sources
  </a>
);

export function Trouble({ error, retry }: { error: unknown; retry?: () => void }) {
  return (
    <div role="alert" className="flex items-start gap-2 border-l-2 border-error px-3 py-2 text-error">
      <AlertTriangle aria-hidden size={16} className="mt-0.5 shrink-0" />
      <span className="flex-1">{error instanceof Error ? error.message : String(error)}</span>
      {retry && (
        <button className="btn btn-xs btn-ghost" onClick={retry}>
          Try again
        </button>
      )}
    </div>
  );
}
