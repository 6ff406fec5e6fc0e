/** Remedy › Quarantine: what nobody can do anything with, since when and why, and letting it go again. */
import { useQuery } from '@tanstack/react-query';
import type { PlannedChange } from '../../../core/remedy/plan.ts';
import type { Account } from '../../../dto/accounts.ts';
import type { QuarantineRow } from '../../../dto/remedy.ts';
import { withQuery, ask } from '../../frame/api.ts';
import { count, Beam, Empty, plural, Trouble, Weight, When } from '../../parts/marks.tsx';
import { useNodeDossier } from '../../dossiers/NodeDossier.tsx';
import { Shell } from '../../frame/Shell.tsx';
import { useSigned } from '../../frame/signed.ts';
import { ExportMenu } from '../../parts/ExportMenu.tsx';
import type { Column } from '../../parts/table/column.ts';
import { selectIn } from '../../parts/table/inUrl.ts';
import { Table } from '../../parts/table/Table.tsx';
import { PickUpButton, usePickUp } from '../../frame/Tray.tsx';
import { useUrl, type ViewProps } from '../../frame/url.ts';

export default function Quarantine({ account, search }: { account: Account; search: string }) {
  const [params, set] = useUrl(search);
  const dossier = useNodeDossier(params, set);
  return (
    <Shell account={account} path="/remedy/quarantine" dossier={dossier}>
      <View params={params} set={set} narrow={Boolean(dossier)} />
    </Shell>
  );
}

const release = (r: QuarantineRow): PlannedChange => ({
  kind: 'item',
  source: r.source,
  id: r.item,
  set: { held: null },
});

function View({ params, set, narrow }: ViewProps) {
  const { data, error, refetch } = useQuery(ask('/api/quarantine'));
  const { steward } = useSigned();
  const { pickUp } = usePickUp();
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  const rows = data?.rows;
  if (rows?.length === 0)
    return (
      <Empty
        action={
          <a className="btn btn-primary btn-sm" href="/exposure/findings">
            Go to Exposure › Findings
          </a>
        }
      >
        Nothing is in quarantine. Nobody can reach what a plan moves here until it is released; the access it
        had is kept for then. Choose “Change the file itself …” in a finding to move it here.
      </Empty>
    );
  const columns: Column<QuarantineRow>[] = [
    {
      key: 'name',
      name: 'What',
      width: 'minmax(200px, 2fr)',
      cell: (r) => (
        <span className="truncate" title={r.name}>
          <b>{r.name}</b> <span className="text-quiet">{r.space}</span>
        </span>
      ),
    },
    { key: 'weight', name: 'Weight', width: '72px', cell: (r) => <Weight weight={r.weight} /> },
    {
      key: 'back',
      name: 'If released, reached by',
      width: '270px',
      cell: (r) => (
        <span className="flex items-center gap-2">
          <Beam now={r.back.now} could={r.back.could} />
          <span className="text-quiet">{count(r.back.people)}</span>
        </span>
      ),
    },
    ...(narrow
      ? []
      : ([
          {
            key: 'plan',
            name: 'Moved here by',
            width: 'minmax(180px, 1.5fr)',
            cell: (r) =>
              r.plan ? (
                <span className="truncate" title={r.plan.reason}>
                  <a
                    className="underline decoration-slate"
                    href={withQuery('/remedy/plans', { plan: r.plan.id })}
                  >
                    {r.plan.name}
                  </a>{' '}
                  <span className="text-quiet">{r.plan.by}</span>
                </span>
              ) : (
                <span className="text-quiet">the workspace itself</span>
              ),
          },
          {
            key: 'since',
            name: 'Since',
            width: '120px',
            cell: (r) => (r.plan ? <When at={r.plan.at} /> : <span className="text-quiet">not known</span>),
          },
        ] satisfies Column<QuarantineRow>[])),
    {
      key: 'release',
      name: '',
      width: '118px',
      cell: (r) => <PickUpButton change={release(r)} what={`release ${r.name}`} name="Release" />,
    },
  ];
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center px-4 py-2">
        <h1 className="flex-1 text-base">
          {rows && (
            <>
              <b>{plural(rows.length, 'thing')} in quarantine</b>{' '}
              <span className="text-quiet">
                nobody can reach them; the access they had is kept for their release
              </span>
            </>
          )}
        </h1>
        {!narrow && <ExportMenu table="quarantine" query={{}} />}
      </div>
      {pickUp.error && <Trouble error={pickUp.error} />}
      <div className="min-h-0 flex-1 border-t border-slate">
        <Table
          label="Quarantine"
          columns={columns}
          rows={rows ?? []}
          {...selectIn(params, set, 'sel', (r: QuarantineRow) => r.key)}
          onKey={(key, r) => {
            if (key === 'p' && steward) pickUp.mutate([release(r)]);
          }}
        />
      </div>
    </div>
  );
}
