/** Everything about one finding: why it counts, how it is reached, what is in it, what was done. */
import { useQuery } from '@tanstack/react-query';
import type { Dossier as DossierData, FindingEvent, FindingRow } from '../../dto/exposure.ts';
import { withQuery, ask } from '../frame/api.ts';

import { Beam, Weight, When } from '../parts/marks.tsx';
import { bytesWords } from '../parts/words.ts';
import { Sum } from './Sum.tsx';
import { DossierFrame, Section, type Pinning } from './Frame.tsx';
import { Decision, eventWords } from './Decision.tsx';
import { WhatToDo } from './WhatToDo.tsx';
import { Routes } from './Routes.tsx';
import { Applies } from './Applies.tsx';
import { AppsAt } from './AppsHere.tsx';
import { Because } from './Because.tsx';
import { Contents } from './Found.tsx';

export interface FindingDetail {
  row: FindingRow;
  history: FindingEvent[];
  dossier: DossierData | null;
}

export function Dossier({ finding, ...pinning }: { finding: number } & Pinning) {
  const { data, error, refetch } = useQuery(ask('/api/findings/[id]', { id: finding }));
  return (
    <DossierFrame name={`Finding ${finding}`} error={error} retry={() => void refetch()} {...pinning}>
      {data && <Body data={data} />}
    </DossierFrame>
  );
}

function Body({ data: { row, history, dossier } }: { data: FindingDetail }) {
  const fixed = row.state === 'fixed';
  const { breach } = row.summary;
  const reach = dossier?.reach;
  return (
    <>
      <header className="px-4 py-3">
        <h2 className="text-base font-bold leading-snug break-words">{row.summary.name}</h2>
        <p className="text-quiet break-words">
          {row.summary.path}
          {dossier?.item.owner && <> · owner {dossier.item.owner}</>}
        </p>
        {breach && <Because breach={breach} />}
        {(row.kind === 'exposure' || row.summary.space) && (
          <div className="mt-2 flex items-center gap-4">
            <Beam
              now={reach?.now.tier ?? row.now}
              could={reach?.could.tier ?? row.could}
              large
              words={false}
            />
            <div className="leading-snug">
              <div>
                Now <b>{reach?.now.tier ?? row.now}</b>
                {(reach?.could.tier ?? row.could) !== (reach?.now.tier ?? row.now) && (
                  <>
                    , could be <b>{reach?.could.tier ?? row.could}</b>
                  </>
                )}
              </div>
              <div className="flex items-center gap-1.5 text-quiet">
                <Weight weight={dossier?.weight ?? row.weight} /> weight {dossier?.weight ?? row.weight}{' '}
                allows {dossier?.allowed}
              </div>
            </div>
          </div>
        )}
        {fixed ? (
          <p className="mt-3">
            {breach
              ? 'Fixed: the rule does not hit it any more.'
              : 'Fixed: its reach is within what its weight allows.'}
          </p>
        ) : (
          dossier && <WhatToDo dossier={dossier} row={row} />
        )}
        {!fixed && <Decision row={row} />}
      </header>
      {!dossier && row.item && (
        <p className="px-4 pb-3 text-quiet">This file is not in the newest survey any more.</p>
      )}
      {dossier && (
        <Routes
          reach={dossier.reach}
          routes={dossier.routes}
          file={dossier.item.name}
          nodeKey={`item:${dossier.source}:${dossier.item.id}`}
        />
      )}
      {!fixed && !breach && (
        <Section name="Why it counts" aside={`${row.points} exposure points, ${row.severity}`}>
          <Sum lines={row.summary.lines} points={row.points} />
          {dossier && dossier.weighing.length > 0 && (
            <p className="mt-1 text-quiet">
              Weight {dossier.weight}, the heaviest of:{' '}
              {dossier.weighing.map((w) => `${w.why} (${w.weight})`).join('; ')}.
            </p>
          )}
        </Section>
      )}
      {dossier && (
        <Contents
          source={dossier.source}
          item={dossier.item.id}
          contents={dossier.contents}
          unread={dossier.unread}
          label={dossier.item.label}
          scan={dossier.scan}
          now
        />
      )}
      {dossier && <AppsAt nodeKey={`item:${dossier.source}:${dossier.item.id}`} file asOf={undefined} />}
      {dossier && <Applies of={`item:${dossier.source}:${dossier.item.id}`} />}
      <Section name="History">
        <ol>
          {history.map((h, i) => (
            <li key={i} className="flex gap-3 py-0.5">
              <span className="w-28 shrink-0 text-quiet">
                <When at={h.at} />
              </span>
              <span>
                {eventWords(h)}
                {h.plan ? (
                  <>
                    {' '}
                    by the plan{' '}
                    <a className="underline" href={`/remedy/plans?plan=${h.plan}`}>
                      {h.planName}
                    </a>
                  </>
                ) : h.survey ? (
                  ` by survey ${h.survey}`
                ) : null}
              </span>
            </li>
          ))}
        </ol>
      </Section>
      {dossier && (
        <Section name="The file">
          <dl className="grid grid-cols-[7rem_1fr] gap-y-0.5">
            <dt className="text-quiet">Space</dt>
            <dd>
              {dossier.item.space.name} ({dossier.item.space.kind.replace('-', ' ')}),{' '}
              <a
                className="underline"
                href={withQuery('/exposure/findings', { space: dossier.item.space.name, finding: row.id })}
              >
                show only this space
              </a>
              ,{' '}
              <a
                className="underline"
                href={withQuery('/survey/holdings', { sel: `item:${dossier.source}:${dossier.item.id}` })}
              >
                open in Holdings
              </a>
            </dd>
            <dt className="text-quiet">Kind and size</dt>
            <dd>
              {dossier.item.mime ?? dossier.item.kind}
              {dossier.item.bytes !== undefined && `, ${bytesWords(dossier.item.bytes)}`}
            </dd>
            <dt className="text-quiet">Label</dt>
            <dd>{dossier.item.label ?? 'none'}</dd>
            <dt className="text-quiet">Changed</dt>
            <dd>
              <When at={dossier.item.modifiedAt} />
            </dd>
            <dt className="text-quiet">Identifier</dt>
            <dd className="font-mono break-all">{dossier.item.id}</dd>
          </dl>
        </Section>
      )}
    </>
  );
}
