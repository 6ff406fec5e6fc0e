/** Every route to a node drawn at once: identities on the left, the node on the right. */
import { useQuery } from '@tanstack/react-query';
import { Check, Plus } from 'lucide-react';
import { lazy, Suspense, useMemo, useState } from 'react';
import type { RouteGraph as Graph } from '../../dto/access.ts';
import { ask } from '../frame/api.ts';
import { Dialog } from '../parts/Dialog.tsx';
import { plural, Trouble } from '../parts/marks.tsx';
import { useSigned } from '../frame/signed.ts';
import { usePickUp } from '../frame/Tray.tsx';
import { asOfOf } from '../frame/url.ts';
import { entryWords } from '../parts/words.ts';
import type { Thing, Way } from './Graph.tsx';

const Drawn = lazy(() => import('./Graph.tsx').then((m) => ({ default: m.Graph })));

/** Every route to a thing; or those by which an app reads it. */
export function RouteGraphDialog({
  nodeKey,
  app,
  close,
}: {
  nodeKey: string;
  app?: { key: string; name: string };
  close: () => void;
}) {
  const asOf = typeof location === 'undefined' ? undefined : asOfOf(new URLSearchParams(location.search));
  const { data, error, refetch } = useQuery(
    ask('/api/holdings/graph', { node: nodeKey, asOf, app: app?.key }),
  );
  return (
    <Dialog
      title={
        <>
          {app ? `How ${app.name} reads it` : 'All routes'}
          {data && !(app && !data.people) && (
            <span className="font-normal text-quiet">
              {' '}
              {app
                ? `through ${plural(data.people, 'person', 'people')}`
                : `by which ${plural(data.people, 'identity', 'identities')}`}
              {app ? ' who let it in' : ' can reach it now'}
            </span>
          )}
        </>
      }
      aside={<Legend />}
      size="full"
      close={close}
    >
      {error && <Trouble error={error} retry={() => void refetch()} />}
      {data && <Drawing graph={data} />}
    </Dialog>
  );
}

function Legend() {
  return (
    <span className="flex items-center gap-4 text-xs text-quiet">
      <span className="flex items-center gap-1.5">
        <svg width="26" height="8" aria-hidden>
          <path d="M0 4H26" className="stroke-base-content" strokeWidth="2" />
        </svg>
        used lately
      </span>
      <span className="flex items-center gap-1.5">
        <svg width="26" height="8" aria-hidden>
          <path d="M0 4H26" className="stroke-quiet" strokeWidth="1.25" strokeDasharray="5 4" />
        </svg>
        only granted
      </span>
      <span className="flex items-center gap-1.5">
        <svg width="26" height="8" aria-hidden>
          <path d="M0 4H26" className="stroke-quiet" strokeWidth="1.5" strokeDasharray="1 4" />
        </svg>
        not followed yet
      </span>
      <span className="flex items-center gap-1.5">
        <span className="rounded-full border border-slate px-1.5 text-[11px] leading-4 text-base-content">
          −12
        </span>
        lose all access if it is cut
      </span>
    </span>
  );
}

const SHAPES = { app: 'pill', who: 'box', group: 'pill', entry: 'box', node: 'square' } as const;
const COLUMNS = Object.keys(SHAPES);

/** The drawing itself: what the chosen thing is joined to is lit; what a cut goes through is struck. */
export function Picture({
  graph,
  chosen,
  choose,
}: {
  graph: Graph;
  chosen: string | undefined;
  choose: (id: string | undefined) => void;
}) {
  const { things, ways } = useMemo(
    () => ({
      things: graph.nodes.map((n): Thing => ({
        id: n.id,
        label: n.label,
        detail: n.detail,
        shape: SHAPES[n.column],
        column: COLUMNS.indexOf(n.column),
        strong: n.outside,
        struck: n.struck,
      })),
      ways: graph.edges.map((e): Way => ({
        from: e.from,
        to: e.to,
        look: e.struck ? 'struck' : e.could ? 'possible' : e.used ? 'used' : 'granted',
        label: e.cut !== undefined ? (e.cut ? `−${e.cut}` : '0') : e.struck ? 'cut' : undefined,
      })),
    }),
    [graph],
  );
  return (
    <Suspense fallback={<p className="p-4 text-quiet">Drawing …</p>}>
      <Drawn
        things={things}
        ways={ways}
        chosen={chosen}
        choose={choose}
        of="Drawing of the routes; the table says the same"
      />
    </Suspense>
  );
}

function Drawing({ graph }: { graph: Graph }) {
  const { steward } = useSigned();
  const { pickUp, putDown, has } = usePickUp();
  const [chosen, setChosen] = useState<string>();
  const at = new Map(graph.nodes.map((n) => [n.id, n]));
  const node = at.get(chosen ?? '');
  const held = node?.entries?.every((e) => has(e));
  return (
    <div className="flex min-h-0 flex-1">
      <div className="min-w-0 flex-1 overflow-auto p-4">
        <div className="h-[58vh] border border-slate">
          <Picture graph={graph} chosen={chosen} choose={setChosen} />
        </div>
        {graph.left.bundles > 0 && (
          <p className="mt-2 text-quiet">
            And {plural(graph.left.people, 'more person', 'more people')} in{' '}
            {plural(graph.left.bundles, 'other combination')} of the same routes, counted and not drawn.
          </p>
        )}
        <p className="mt-2 text-quiet">Select anything in the drawing to see what it is.</p>
        <h3 className="mt-4 font-semibold">What each cut would cost</h3>
        <table className="mt-1 w-full max-w-3xl">
          <tbody>
            {graph.edges
              .filter((e) => e.cut !== undefined && at.has(e.from))
              .sort((a, b) => b.cut! - a.cut!)
              .slice(0, 60)
              .map((e) => (
                <tr key={`${e.from}${e.to}`} className="border-b border-base-300 align-top">
                  <td className="py-1 pr-2">
                    {at.get(e.from)!.label} <span className="text-quiet">→ {at.get(e.to)?.label}</span>
                    {!e.used && <span className="block text-xs text-quiet">only granted</span>}
                  </td>
                  <td className="py-1 text-right">{e.cut}</td>
                </tr>
              ))}
          </tbody>
        </table>
      </div>
      {node && (
        <aside aria-label="Selected" className="w-[290px] shrink-0 overflow-auto border-l border-slate p-4">
          <>
            <h3 className="font-bold break-words">{node.label}</h3>
            {node.detail && <p className="text-quiet">{node.detail}</p>}
            {node.entries && (
              <>
                <p className="mt-2">
                  {node.entries.length > 1 && 'Such as: '}
                  {entryWords(node.entries[0]!)[0]!.toUpperCase()}
                  {entryWords(node.entries[0]!).slice(1)}.
                </p>
                <p className="mt-1">
                  {(graph.edges.find((e) => e.from === node.id)?.cut ?? 0) > 0
                    ? `${plural(graph.edges.find((e) => e.from === node.id)!.cut!, 'identity', 'identities')} would lose all access if ${node.entries.length > 1 ? 'they' : 'it'} were withdrawn.`
                    : `Nobody would lose all access if ${node.entries.length > 1 ? 'they' : 'it'} alone were withdrawn.`}{' '}
                  {node.used ? 'Used lately.' : 'Not used lately by anybody who holds it.'}
                </p>
                {steward && (
                  <button
                    className="btn btn-sm mt-2 w-full border-slate"
                    onClick={() => (held ? putDown : pickUp).mutate(node.entries!)}
                  >
                    {held ? <Check size={14} aria-hidden /> : <Plus size={14} aria-hidden />}
                    {held
                      ? 'In the tray'
                      : node.entries.length > 1
                        ? `Pick up: withdraw all ${node.entries.length}`
                        : 'Pick up: withdraw it'}
                  </button>
                )}
              </>
            )}
            {node.people && (
              <ul className="mt-2">
                {node.people.map((p) => (
                  <li key={p.id} className="border-b border-base-300 py-1">
                    {p.name}
                    {p.kind !== 'member' && <span className="text-quiet"> {p.kind}</span>}
                    {p.address !== p.name && (
                      <span className="block truncate text-xs text-quiet">{p.address}</span>
                    )}
                  </li>
                ))}
                {(node.count ?? 0) > node.people.length && (
                  <li className="py-1 text-quiet">and {(node.count ?? 0) - node.people.length} more</li>
                )}
              </ul>
            )}
          </>
        </aside>
      )}
    </div>
  );
}
