/** How far a hit has come, with its plan. */
import { RESPONSES } from '../../core/guard/responses.ts';
import type { HitRow } from '../../dto/guard.ts';
import { withQuery } from '../frame/api.ts';
import { PART_WORDS, STATE_WORDS } from './policy-words.ts';

/** How far a hit has come, and what each response came to. */
export function Come({ h }: { h: HitRow }) {
  const more = [
    ...h.parts.flatMap((p) =>
      p.how === 'planned' ? [] : `${RESPONSES[p.do].words}: ${p.why ?? PART_WORDS[p.how]}`,
    ),
    ...(h.note && h.state !== 'done' ? [h.note] : []),
  ].join(' ');
  const words = h.state === 'done' && !h.overAt ? 'Done, still so' : STATE_WORDS[h.state];
  return (
    <span className="truncate" title={[words, more].filter(Boolean).join('. ')}>
      {h.plan === null ? (
        <b>{words}</b>
      ) : (
        <a
          className="font-bold underline decoration-slate"
          href={withQuery('/remedy/plans', { plan: String(h.plan) })}
        >
          {words}
        </a>
      )}{' '}
      <span className="text-quiet">{more}</span>
    </span>
  );
}
