/** A condition as rows, or as text: two views of one. */
import { useQuery } from '@tanstack/react-query';
import { ChevronDown, Plus, X } from 'lucide-react';
import { useEffect, useId, useRef, useState } from 'react';
import { FIELDS, fieldWords, HOLDERS, type Field, type Filtered } from '../../core/filter/fields.ts';
import {
  COMPARISONS,
  comparisonOf,
  isGroup,
  readRows,
  writeRows,
  type Comparison,
  type Condition,
  type ConditionGroup,
} from '../../core/filter/rows.ts';
import type { ScopeKey } from '../../core/guard/schema.ts';
import { ask } from '../frame/api.ts';
import type { EditorProps } from './CodeEditor.tsx';
import { ConditionText, fieldOf } from './ConditionText.tsx';
import { HoldsRow } from './HoldsRow.tsx';
import { Picker } from './Picker.tsx';

type Props = { table: Filtered } & Pick<
  EditorProps,
  'value' | 'change' | 'label' | 'hint' | 'focus' | 'done'
>;

export default function ConditionEditor({ table, value, change, label, ...text }: Props) {
  const [rows, setRows] = useState<ConditionGroup>(() => readRows(value, table));
  const [asText, setAsText] = useState(() => !shows(readRows(value, table)));
  // what was written from these rows is not read again, so that unfinished rows stay
  const written = useRef({ value, table });
  useEffect(() => {
    if (written.current.value === value && written.current.table === table) return;
    written.current = { value, table };
    setRows(readRows(value, table));
  }, [value, table]);
  const put = (next: ConditionGroup): void => {
    setRows(next);
    written.current = { value: writeRows(next, table), table };
    change(written.current.value);
  };
  return (
    <div className="flex flex-col gap-1.5">
      <div className="flex items-center gap-3 text-xs" role="group" aria-label={`${label}, shown as`}>
        {[false, true].map((t) => (
          <button
            key={String(t)}
            type="button"
            aria-pressed={asText === t}
            className={`cursor-pointer py-0.5 ${asText === t ? 'border-b-2 border-base-content font-bold' : 'text-quiet'}`}
            onClick={() => setAsText(t)}
          >
            {t ? 'As text' : 'As rows'}
          </button>
        ))}
      </div>
      {asText ? (
        <ConditionText table={table} value={value} change={change} label={label} {...text} />
      ) : (
        <Rows group={rows} change={put} table={table} label={label} />
      )}
    </div>
  );
}

/** Whether rows show all of a condition. */
const shows = ({ rows }: ConditionGroup): boolean =>
  rows.every((r) => (isGroup(r) ? shows(r) : !('text' in r)));

const OF_WORDS = {
  all: 'all of these hold',
  any: 'any of these holds',
  none: 'none of these holds',
} as const;
const HOLDING = 'holds()';

/** A row for a field, as it is begun. */
function begun(table: Filtered, name: string): Condition {
  if (name === HOLDING) return { holds: '', not: false, settings: {} };
  const field = fieldOf(table, name)!;
  // of a text one mostly asks whether it is, or contains, something
  const as =
    field.type !== 'string' ? COMPARISONS[field.type][0].as : field.offers ? 'F == V' : 'F.contains(V)';
  return { field: name, as, value: (field.type === 'int' && field.offers?.[0]) || '' };
}

function Rows({
  group,
  change,
  table,
  label,
  drop,
}: {
  group: ConditionGroup;
  change: (next: ConditionGroup) => void;
  table: Filtered;
  label: string;
  /** Of a group within a group. */
  drop?: () => void;
}) {
  const { of, rows } = group;
  const put = (n: number, row: Condition | undefined): void =>
    change({ of, rows: row ? rows.map((r, k) => (k === n ? row : r)) : rows.filter((_, k) => k !== n) });
  const add = (row: Condition): void => change({ of, rows: [...rows, row] });
  const several = rows.length > 1 || of === 'none' || drop;
  return (
    <fieldset aria-label={label} className={drop ? 'border-l-2 border-slate pl-2.5' : ''}>
      {several && (
        <div className="flex items-center gap-2 pb-1">
          <select
            className="select select-xs w-44"
            aria-label="How these are joined"
            value={of}
            onChange={(e) => change({ of: e.target.value as ConditionGroup['of'], rows })}
          >
            {Object.entries(OF_WORDS).map(([k, words]) => (
              <option key={k} value={k}>
                {words}
              </option>
            ))}
          </select>
          {drop && <Drop what="the group" run={drop} />}
        </div>
      )}
      <ul className="flex flex-col gap-1">
        {rows.map((row, n) => (
          <li key={n}>
            <Row
              row={row}
              change={(next) => put(n, next)}
              drop={() => put(n, undefined)}
              table={table}
              place={n + 1}
            />
          </li>
        ))}
      </ul>
      <div className="flex gap-2 pt-1.5">
        <FieldPicker
          table={table}
          label="Add a condition"
          choose={(name) => add(begun(table, name))}
          button={
            <>
              <Plus size={14} aria-hidden /> Add a condition
            </>
          }
        />
        {rows.length > 0 && (
          <button
            type="button"
            className="btn btn-xs btn-ghost font-normal"
            onClick={() => add({ of: of === 'any' ? 'all' : 'any', rows: [] })}
          >
            <Plus size={14} aria-hidden /> Add a group
          </button>
        )}
      </div>
    </fieldset>
  );
}

const Drop = ({ what, run }: { what: string; run: () => void }) => (
  <button
    type="button"
    className="btn btn-xs btn-square btn-ghost shrink-0"
    aria-label={`Remove ${what}`}
    onClick={run}
  >
    <X size={14} aria-hidden />
  </button>
);

function FieldPicker({
  table,
  label,
  button,
  choose,
  look = 'btn btn-xs',
}: {
  table: Filtered;
  label: string;
  button: React.ReactNode;
  choose: (name: string) => void;
  look?: string;
}) {
  return (
    <Picker
      label={label}
      button={button}
      look={look}
      choose={choose}
      groups={[
        {
          choices: [
            ...((HOLDERS as readonly Filtered[]).includes(table)
              ? [{ value: HOLDING, name: 'What it holds', detail: 'a data type, or one of a pack' }]
              : []),
            ...Object.entries<Field>(FIELDS[table]).map(([value, f]) => ({
              value,
              name: fieldWords(value),
              detail: f.about,
            })),
          ],
        },
      ]}
    />
  );
}

function Row({
  row,
  change,
  drop,
  table,
  place,
}: {
  row: Condition;
  change: (next: Condition) => void;
  drop: () => void;
  table: Filtered;
  place: number;
}) {
  if (isGroup(row)) return <Rows group={row} change={change} table={table} label="A group" drop={drop} />;
  const end = <Drop what={`condition ${place}`} run={drop} />;
  if ('text' in row)
    return (
      <div className="flex items-center gap-2">
        <input
          className="input input-sm min-w-0 flex-1 font-mono text-[12.5px]"
          aria-label={`Condition ${place}, as text`}
          title="Rows cannot show this; it stays text."
          value={row.text}
          onChange={(e) => change({ text: e.target.value })}
        />
        {end}
      </div>
    );
  if ('holds' in row) return <HoldsRow row={row} change={change} place={place} end={end} />;
  const field = fieldOf(table, row.field)!;
  const comparison = comparisonOf(field, row.as)!;
  const compare = (as: string): void => {
    const { takes } = comparisonOf(field, as)!;
    const value = 'value' in row ? row.value : (row.values[0] ?? '');
    if (takes === 'texts') change({ field: row.field, as, values: value ? [value] : [] });
    else change({ field: row.field, as, value: takes === comparison.takes || 'values' in row ? value : '' });
  };
  return (
    <div className="flex items-center gap-2">
      <FieldPicker
        table={table}
        label={`Field of condition ${place}: ${fieldWords(row.field)}`}
        look="btn btn-sm w-40 shrink-0 justify-between gap-1 px-2 font-normal"
        choose={(name) => change(begun(table, name))}
        button={
          <>
            <span className="truncate" title={field.about}>
              {fieldWords(row.field)}
            </span>
            <ChevronDown size={12} aria-hidden className="shrink-0 text-quiet" />
          </>
        }
      />
      <select
        className="select select-sm w-44 shrink-0"
        aria-label={`Comparison of condition ${place}`}
        value={row.as}
        onChange={(e) => compare(e.target.value)}
      >
        {COMPARISONS[field.type].map((c) => (
          <option key={c.as} value={c.as}>
            {c.words}
          </option>
        ))}
      </select>
      <Value
        row={row}
        field={field}
        comparison={comparison}
        change={change}
        label={`Value of condition ${place}`}
      />
      {end}
    </div>
  );
}

type Compared = Extract<Condition, { field: string }>;

function Value({
  row,
  field,
  comparison: { takes },
  change,
  label,
}: {
  row: Compared;
  field: Field;
  comparison: Comparison;
  change: (next: Condition) => void;
  label: string;
}) {
  const set = (value: string): void => change({ field: row.field, as: row.as, value });
  if (takes === 'nothing') return <span className="flex-1" />;
  if ('values' in row)
    return (
      <input
        className="input input-sm min-w-0 flex-1"
        aria-label={label}
        placeholder="with commas between"
        defaultValue={row.values.join(', ')}
        onChange={(e) =>
          change({
            field: row.field,
            as: row.as,
            values: e.target.value.split(',').flatMap((v) => v.trim() || []),
          })
        }
      />
    );
  const offers = field.offers?.map((o) => (takes === 'text' ? (JSON.parse(o) as string) : o));
  if (offers && (takes === 'number' || row.as === 'F == V' || row.as === 'F != V'))
    return (
      <select
        className="select select-sm min-w-0 flex-1"
        aria-label={label}
        value={row.value}
        onChange={(e) => set(e.target.value)}
      >
        <option value="">choose …</option>
        {[...new Set([...offers, row.value])].filter(Boolean).map((o) => (
          <option key={o}>{o}</option>
        ))}
      </select>
    );
  if (takes === 'text') return <Text name={row.field} value={row.value} change={set} label={label} />;
  const number = takes === 'number' && (row.value === '' || /^-?\d+$/.test(row.value));
  return (
    <input
      className="input input-sm min-w-0 flex-1"
      type={takes === 'day' ? 'date' : number || takes === 'days' ? 'number' : 'text'}
      aria-label={label}
      value={row.value}
      onChange={(e) => set(e.target.value)}
    />
  );
}

/** What fields name that is known to be there. */
const KNOWN: Readonly<Record<string, ScopeKey>> = {
  workspace: 'workspaces',
  space: 'spaces',
  label: 'labels',
  department: 'units',
  region: 'regions',
  groups: 'groups',
};

/** A text, with what there is offered for fields that name something. */
function Text({
  name,
  value,
  change,
  label,
}: {
  name: string;
  value: string;
  change: (value: string) => void;
  label: string;
}) {
  const id = useId();
  const key = KNOWN[name];
  const { data: names } = useQuery({
    ...ask('/api/policies/names', { key: key ?? 'labels', text: value }),
    enabled: key !== undefined,
    placeholderData: (before) => before,
    retry: false,
  });
  const { data: types } = useQuery({ ...ask('/api/data-types'), enabled: name === 'types' });
  const offered = name === 'types' ? types?.rows.map((t) => t.name) : names?.map((n) => n.name);
  return (
    <>
      <input
        className="input input-sm min-w-0 flex-1"
        aria-label={label}
        value={value}
        {...(offered && { list: id })}
        onChange={(e) => change(e.target.value)}
      />
      {offered && (
        <datalist id={id}>
          {[...new Set(offered)].map((o) => (
            <option key={o} value={o} />
          ))}
        </datalist>
      )}
    </>
  );
}
