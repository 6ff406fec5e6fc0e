/** What was found in a file, with the places. */
import { useMutation } from '@tanstack/react-query';
import { ScanText } from 'lucide-react';
import { useState } from 'react';
import type { Dossier as DossierData } from '../../dto/exposure.ts';
import type { FoundContent } from '../../dto/contents.ts';
import { send } from '../frame/api.ts';
import { Sum } from '../parts/MatchedText.tsx';
import { plural, Trouble } from '../parts/marks.tsx';
import { useRefresh, useSigned } from '../frame/signed.ts';
import { Section } from './Frame.tsx';

/** What was recognised in a file, what was not read of it, and reading it again. */
export function Contents({
  source,
  item,
  contents,
  unread,
  label,
  scan,
  now,
}: {
  source: string;
  item: string;
  contents: FoundContent[];
  unread: string | undefined;
  label: string | undefined;
  scan?: DossierData['scan'];
  /** It is the present that is shown, so that reading again makes sense. */
  now: boolean;
}) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const again = useMutation({
    mutationFn: () => send('POST', '/api/contents/scan', { source, item }),
    onSuccess: refresh,
  });
  const aside = {
    scanned: undefined,
    'name-only': 'known by its name only',
    unreadable: 'could not be read',
  };
  return (
    <Section name="Contents" aside={scan && aside[scan]}>
      {unread && <p>{unread}</p>}
      {contents.length === 0 && (
        <p className="text-quiet">
          Nothing sensitive was found{unread && ' in what was read'}.
          {label && ` It weighs by its label, ${label}.`}
        </p>
      )}
      {contents.map((c) => (
        <Content key={c.dataType} content={c} />
      ))}
      {steward && now && (
        <button
          className="btn btn-xs btn-ghost mt-1"
          disabled={again.isPending}
          onClick={() => again.mutate()}
          title="Fetch the file from its workspace and scan it now"
        >
          <ScanText size={13} aria-hidden />{' '}
          {again.isPending
            ? 'Scanning …'
            : again.isSuccess
              ? 'Scanned just now. Scan again'
              : 'Scan this file now'}
        </button>
      )}
      {again.error && <Trouble error={again.error} />}
    </Section>
  );
}

export function Content({ content: c }: { content: FoundContent }) {
  const [shown, setShown] = useState(0);
  const match = c.matches[shown];
  return (
    <div className="py-0.5">
      <div className="flex items-baseline justify-between">
        <span>
          <b>{c.name}</b>: {plural(c.distinct, 'distinct value')}
          {c.occurrences !== c.distinct && `, ${plural(c.occurrences, 'occurrence')}`}
        </span>
        <span className={c.certainty < c.from ? 'text-quiet' : ''}>
          certainty {c.certainty}
          {c.certainty < c.from && `, counts from ${c.from}`}
        </span>
      </div>
      {match && (
        <details>
          <summary className="cursor-pointer text-quiet">
            Why this certainty: match {shown + 1} of{' '}
            {c.matches.length === c.occurrences ? c.occurrences : `the first ${c.matches.length}`},{' '}
            <span className="font-mono">{match.masked}</span>
          </summary>
          <div className="ml-4">
            <Sum match={match}>
              {' '}
              · {match.where ?? match.part}, characters {match.start}–{match.end}
            </Sum>
          </div>
          {c.matches.length > 1 && (
            <button
              className="btn btn-xs btn-ghost ml-3"
              onClick={() => setShown((shown + 1) % c.matches.length)}
            >
              Next match
            </button>
          )}
        </details>
      )}
    </div>
  );
}
