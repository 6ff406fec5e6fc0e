/** What was proved of a plan after it was applied. */
import type { PlanDetail } from '../../../../dto/remedy.ts';
import { count, State } from '../../../parts/marks.tsx';
import { Heading } from './parts.tsx';

/** Which goals hold, and what exposure is left, by computation on what was read back. */
export function Proof({ plan }: { plan: PlanDetail }) {
  const { proof, goals } = plan;
  if (!proof && !goals.length) return null;
  return (
    <section aria-label="Proof">
      <Heading>{proof ? 'What holds now, computed on what was read back' : 'What it is to reach'}</Heading>
      <ul>
        {proof ? (
          <>
            {proof.goals.map((g) => (
              <li key={g.words} className="py-0.5">
                <span className="flex flex-wrap items-center gap-x-2">
                  <State icon={g.holds ? 'done' : 'trouble'}>
                    {g.holds ? 'holds' : `does not hold on ${g.open} of ${g.items}`}
                  </State>
                  <b>{g.words}</b>
                </span>
                {g.ways.length > 0 && (
                  <ul className="pl-6 text-quiet">
                    {g.ways.map((w) => (
                      <li key={w}>{w}</li>
                    ))}
                  </ul>
                )}
              </li>
            ))}
            <li className="py-0.5">
              Exposure of the items that it touches:{' '}
              <b>
                {count(proof.pointsBefore)} → {count(proof.pointsAfter)} points
              </b>{' '}
              <span className="text-quiet">as of survey {proof.survey}</span>
            </li>
          </>
        ) : (
          goals.map((g) => (
            <li key={g.words} className="py-0.5 font-medium">
              {g.words}
            </li>
          ))
        )}
      </ul>
    </section>
  );
}
