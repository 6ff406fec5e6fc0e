/** Columns of runs of standing orders. */
import type { RunRow } from '../../../../dto/orders.ts';
import { State, When } from '../../../parts/marks.tsx';
import type { Column } from '../../../parts/table/column.ts';
import { Severity } from '../happened/Severity.tsx';
import { RUN_WORDS } from './states.ts';

export const RUN_COLUMNS: Column<RunRow>[] = [
  { key: 'severity', name: 'Severity', width: '90px', cell: (r) => <Severity of={r.severity} /> },
  {
    key: 'order',
    name: 'Order',
    width: 'minmax(160px, 1.2fr)',
    cell: (r) => <span className="truncate">{r.orderName}</span>,
  },
  {
    key: 'thing',
    name: 'About',
    width: 'minmax(160px, 1.3fr)',
    cell: (r) => (
      <span className="truncate" title={r.thing}>
        <b>{r.thing}</b>
        {r.actor && <span className="text-quiet"> {r.actor}</span>}
      </span>
    ),
  },
  {
    key: 'state',
    name: 'State',
    width: 'minmax(150px, 1fr)',
    cell: (r) => (
      <span className="flex min-w-0" title={r.trouble ?? r.step}>
        {r.trouble && r.state !== 'failed' && r.state !== 'held' ? (
          <State icon="trouble">is tried again</State>
        ) : (
          <State icon={RUN_WORDS[r.state][1]}>{RUN_WORDS[r.state][0]}</State>
        )}
      </span>
    ),
  },
  {
    key: 'due',
    name: 'Goes on',
    width: '132px',
    cell: (r) => (r.due ? <When at={r.due} /> : <span className="text-quiet">–</span>),
  },
  { key: 'began', name: 'Began', width: '132px', cell: (r) => <When at={r.beganAt} /> },
];
