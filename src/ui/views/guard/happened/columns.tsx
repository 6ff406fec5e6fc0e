/** Events as rows of a table. */
import { EVENT_TYPES } from '../../../../core/guard/events.ts';
import type { EventRow } from '../../../../dto/events.ts';
import { withQuery } from '../../../frame/api.ts';
import { Weight, When } from '../../../parts/marks.tsx';
import type { Column } from '../../../parts/table/column.ts';

export const eventColumns = (narrow: boolean): Column<EventRow>[] => [
  { key: 'at', name: 'When', width: '132px', cell: (e) => <When at={e.at} /> },
  {
    key: 'who',
    name: 'Who',
    width: 'minmax(120px, 1fr)',
    cell: (e) =>
      e.actorKey ? (
        <a
          className="truncate underline decoration-slate"
          href={withQuery('/survey/people', { sel: e.actorKey })}
        >
          {e.actorName}
        </a>
      ) : (
        <span className="truncate">{e.actor || 'the workspace'}</span>
      ),
  },
  {
    key: 'type',
    name: 'Did',
    width: '132px',
    cell: (e) => (
      <span className="truncate" title={e.detail || e.type}>
        {EVENT_TYPES[e.type as keyof typeof EVENT_TYPES]}
      </span>
    ),
  },
  {
    key: 'what',
    name: 'What',
    width: 'minmax(200px, 2fr)',
    cell: (e) => (
      <span className="truncate" title={`${e.name} ${e.path}`}>
        <b>{e.name || e.item || e.space}</b> <span className="text-quiet">{e.path}</span>
      </span>
    ),
  },
  {
    key: 'weight',
    name: 'Weight',
    width: '64px',
    cell: (e) => (e.nodeKey ? <Weight weight={e.weight} /> : null),
  },
  {
    key: 'target',
    name: 'With',
    width: 'minmax(130px, 1fr)',
    cell: (e) => (
      <span className={e.outside ? 'truncate font-bold' : 'truncate'} title={e.target}>
        {e.targetName || e.target}
        {e.role && <span className="font-normal text-quiet"> {e.role}</span>}
      </span>
    ),
  },
  ...(narrow
    ? []
    : ([
        {
          key: 'device',
          name: 'Device',
          width: '100px',
          cell: (e) => <span className="truncate">{e.device}</span>,
        },
        {
          key: 'toldBy',
          name: 'Workspace',
          width: '100px',
          cell: (e) => <span className="truncate text-quiet">{e.toldBy}</span>,
        },
      ] satisfies Column<EventRow>[])),
];
