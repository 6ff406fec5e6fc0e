/** By which routes somebody reaches an item. */
import { File, Folder, Workflow } from 'lucide-react';
import { Fragment, useState, type ReactNode } from 'react';
import type { Dossier as DossierData } from '../../dto/exposure.ts';
import type { RouteDto } from '../../dto/access.ts';
import { RouteGraphDialog } from '../drawings/AllRoutes.tsx';
import { plural, When } from '../parts/marks.tsx';
import { OptionsButton } from '../parts/Options.tsx';
import { PickUpButton } from '../frame/Tray.tsx';
import { entryWords } from '../parts/words.ts';
import { Section } from './Frame.tsx';

/** The routes to a node, outside ones first, and the way to the drawing of all of them. */
export function Routes({
  reach: { now },
  routes,
  file,
  nodeKey,
}: {
  reach: DossierData['reach'];
  routes: RouteDto[];
  file: string;
  nodeKey: string;
}) {
  const [drawn, setDrawn] = useState(false);
  const counts = [
    now.outsiders && plural(now.outsiders, 'outsider'),
    now.guests && plural(now.guests, 'guest'),
    plural(now.members, 'member'),
  ]
    .filter(Boolean)
    .join(', ');
  const outside = routes.filter((r) => r.outside);
  const inside = routes.filter((r) => !r.outside);
  return (
    <Section name="How it is reached" aside={`now by ${counts}`}>
      <button className="btn btn-xs mb-1 border-slate" onClick={() => setDrawn(true)}>
        <Workflow size={13} aria-hidden /> Draw all routes, and what each cut would cost
      </button>
      {drawn && <RouteGraphDialog nodeKey={nodeKey} close={() => setDrawn(false)} />}
      {outside.map((r, i) => (
        <Route key={i} route={r} file={file} />
      ))}
      {inside.length > 0 && (
        <details open={outside.length === 0}>
          <summary className="cursor-pointer py-1 text-quiet">
            {plural(inside.length, 'route')} from inside
          </summary>
          {inside.map((r, i) => (
            <Route key={i} route={r} file={file} />
          ))}
        </details>
      )}
    </Section>
  );
}

/** One route, drawn from the identity down to the file. */
function Route({ route, file }: { route: RouteDto; file: string }) {
  const entry = 'id' in route.through ? route.through : undefined;
  const steps: { node: ReactNode; dot: 'who' | 'group' | 'entry' | 'node' }[] = [];
  const names = route.who.map((p) =>
    p.kind === 'member' ? p.name : p.kind === 'guest' ? `${p.address} (guest)` : p.address,
  );
  steps.push({
    dot: 'who',
    node:
      route.as === 'could' ? (
        <b>
          {entry?.audience === 'organisation'
            ? 'Every member who gets the link'
            : 'Anybody at all who gets the link'}
        </b>
      ) : route.as === 'anyone' && !names.length ? (
        <b>Anybody at all</b>
      ) : route.as === 'domain' && !names.length ? (
        <b>{entry?.to}</b>
      ) : (
        <span>
          <b>{names.slice(0, 4).join(', ')}</b>
          {names.length - 4 + route.more > 0 && ` and ${names.length - 4 + route.more} more`}
        </span>
      ),
  });
  for (const g of route.groups) steps.push({ dot: 'group', node: <>member of the group “{g}”</> });
  steps.push({
    dot: 'entry',
    node: entry ? (
      <div className="flex items-start gap-2">
        <span className="min-w-0 flex-1">
          {entry.kind === 'link' ? 'sharing link' : 'grant'}
          {route.as === 'redeemed' && ', followed'}: <b>{entry.role}</b>
          {(entry.madeBy || entry.madeAt) && (
            <span className="text-quiet">
              , made{entry.madeBy && ` by ${entry.madeBy}`}
              {entry.madeAt && (
                <>
                  {' '}
                  <When at={entry.madeAt} />
                </>
              )}
              {entry.lastUsedAt && (
                <>
                  , last used <When at={entry.lastUsedAt} />
                </>
              )}
            </span>
          )}
        </span>
        <PickUpButton change={entry} what={`withdraw ${entryWords(entry)}`} />
        <OptionsButton of={entry} name={`the ${entry.kind}`} />
      </div>
    ) : route.through.kind === 'ownership' ? (
      'owns the file'
    ) : (
      'the space is visible to the whole organisation'
    ),
  });
  for (const [i, n] of route.down.entries())
    steps.push({
      dot: 'node',
      node: (
        <span className={`flex items-center gap-1.5 ${i === route.down.length - 1 ? '' : 'text-quiet'}`}>
          {n.kind === 'file' ? (
            <File size={13} aria-hidden className="shrink-0" />
          ) : (
            <Folder size={13} aria-hidden className="shrink-0" />
          )}
          <span className="truncate">
            {i === route.down.length - 1 && n.name === file ? `this ${n.kind}` : `${n.kind} “${n.name}”`}
          </span>
        </span>
      ),
    });
  const dot = {
    who: 'bg-base-content',
    group: 'border-2 border-base-content bg-base-100',
    entry: 'rotate-45 rounded-none bg-base-content',
    node: 'bg-slate',
  };
  return (
    <ol className="relative my-1.5 pl-5" aria-label="Route">
      <span aria-hidden className="absolute bottom-2.5 left-[4px] top-2.5 border-l-2 border-slate" />
      {steps.map((s, i) => (
        <Fragment key={i}>
          <li className="relative py-0.5">
            <span
              aria-hidden
              className={`absolute -left-[20px] top-[7px] size-2.5 rounded-full ${dot[s.dot]}`}
            />
            {s.node}
          </li>
        </Fragment>
      ))}
    </ol>
  );
}
