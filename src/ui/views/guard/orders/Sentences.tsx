/** The steps of an order as a list that reads as sentences. */
import type { Step } from '../../../../core/orders/schema.ts';
import { sentence, stepWords } from '../../../../core/orders/words.ts';

export const Sentences = ({ steps }: { steps: readonly Step[] }) => (
  <ol className="list-decimal py-1 pl-6">
    {steps.map((s, n) => (
      <li key={n} className="py-0.5">
        {s.do === 'branch' ? `${stepWords(s)}:` : sentence(stepWords(s))}
        {s.do === 'branch' && (
          <>
            {s.then.length ? (
              <Sentences steps={s.then} />
            ) : (
              <span className="text-quiet"> nothing more.</span>
            )}
            {s.else.length > 0 && (
              <>
                Otherwise:
                <Sentences steps={s.else} />
              </>
            )}
          </>
        )}
      </li>
    ))}
  </ol>
);
