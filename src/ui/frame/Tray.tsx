/** The changes picked up so far, whom they would hurt, and the way to a plan. */
import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import {
  arrayMove,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable';
import { useMutation, useQuery } from '@tanstack/react-query';
import {
  AlertTriangle,
  ArrowDown,
  ArrowUp,
  Check,
  ChevronDown,
  ChevronUp,
  GripVertical,
  Plus,
  Target,
  X,
} from 'lucide-react';
import { useEffect, useState } from 'react';
import type { PlannedChange } from '../../core/remedy/plan.ts';
import type { EntryRef } from '../../dto/access.ts';
import type { PlanGoal, Preview, TrayState } from '../../dto/remedy.ts';
import { ask, send } from './api.ts';
import { planForm } from '../../dto/forms.ts';
import { Dialog, DialogEnd } from '../parts/Dialog.tsx';
import { Field, FormTrouble, useSchemaForm } from '../parts/form.tsx';
import { count, plural, Trouble } from '../parts/marks.tsx';
import { useRefresh, useSigned } from './signed.ts';

export const useTray = () => useQuery(ask('/api/tray'));

/** What is picked up: a change, or a grant or link that is to be withdrawn. */
export type Pickable = PlannedChange | EntryRef;
const changeOf = (p: Pickable): PlannedChange =>
  'on' in p ? { kind: p.kind, source: p.source, id: p.id } : p;
const same = (a: PlannedChange, b: PlannedChange): boolean =>
  a.kind === b.kind &&
  a.source === b.source &&
  a.id === b.id &&
  JSON.stringify(a.set) === JSON.stringify(b.set);

/** Picks up, with the goal that it serves where there is one, and puts down. */
export function usePickUp(goal?: PlanGoal) {
  const refresh = useRefresh();
  const { steward } = useSigned();
  const tray = useTray();
  return {
    pickUp: useMutation({
      mutationFn: (list: readonly Pickable[]) =>
        send('POST', '/api/tray', { changes: list.map(changeOf), ...(goal && { goal }) }),
      onSuccess: refresh,
    }),
    putDown: useMutation({
      mutationFn: (list: readonly Pickable[]) =>
        send('DELETE', '/api/tray', {
          seqs: (tray.data?.list ?? [])
            .filter((t) => list.some((p) => same(t.change, changeOf(p))))
            .map((t) => t.seq),
        }),
      onSuccess: refresh,
    }),
    has: (p: Pickable): boolean => steward && !!tray.data?.list.some((t) => same(t.change, changeOf(p))),
  };
}

/** Picks one change up, or puts it down again; nothing for whoever may not act. */
export function PickUpButton({
  change,
  what,
  name = 'Pick up',
  look = 'shrink-0 border-slate',
}: {
  change: Pickable;
  /** What it does, for those who cannot see where the button stands. */
  what: string;
  name?: string;
  look?: string;
}) {
  const { steward } = useSigned();
  const { pickUp, putDown, has } = usePickUp();
  if (!steward) return null;
  const held = has(change);
  const error = pickUp.error ?? putDown.error;
  const button = (
    <button
      className={`btn btn-xs ${look}`}
      aria-pressed={held}
      aria-label={`${held ? 'Put down' : 'Pick up'}: ${what}`}
      onClick={(e) => {
        // it may stand in a row that is chosen by a click
        e.stopPropagation();
        (held ? putDown : pickUp).mutate([change]);
      }}
    >
      {held ? <Check size={12} aria-hidden /> : <Plus size={12} aria-hidden />}
      {held ? 'In the tray' : name}
    </button>
  );
  return error ? (
    <span className="flex flex-col items-end">
      {button}
      <Trouble error={error} />
    </span>
  ) : (
    button
  );
}

const listed = (words: string[]): string =>
  words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words[words.length - 1]}`;

/** Who loses which apps; empty where nobody does. */
function appsWords({ apps = [], usedDays }: Preview): string {
  if (!apps.length) return '';
  const people = apps.reduce((n, a) => n + a.people, 0);
  const who = apps.some((a) => a.everyone) ? 'Everyone' : plural(people, 'person', 'people');
  const lately = apps.reduce((n, a) => n + a.usedLately, 0);
  return `${who} would lose ${apps.length === 1 ? `the app “${apps[0]!.name}”` : `${apps.length} apps`}; ${lately ? `${lately} of these used in the last ${usedDays} days` : `none used in the last ${usedDays} days`}.`;
}

/** Who loses access, and who would gain some. */
export function losersWords(p: Preview): string {
  const losers = [
    p.outsiders && plural(p.outsiders, 'outsider'),
    p.guests && plural(p.guests, 'guest'),
    ...p.wholeDomains.map((d) => `everybody at ${d}`),
    p.anybody && 'anybody with the link',
  ].filter(Boolean);
  const outside = losers.length
    ? `${listed(losers as string[])} would lose access`
    : 'Nobody outside loses anything';
  const lately = p.usedLately ? `; ${p.usedLately} of them used it lately` : '';
  const wider = p.wider ? ` But ${p.wider}.` : '';
  const apps = appsWords(p);
  if (apps && !p.itemsTouched) return apps;
  return `${apps ? `${apps} ` : ''}${outside}; ${p.members ? `${plural(p.members, 'member')} would too` : 'nobody inside does'}${lately}.${wider}`;
}

/** `picks`: changes can be picked up in the view that is open. */
export function Tray({ picks }: { picks: boolean }) {
  const { data } = useTray();
  const [open, setOpen] = useState(false);
  const [making, setMaking] = useState(false);
  const n = data?.list.length ?? 0;
  const preview = data?.preview;
  useEffect(() => {
    if (n === 0) setOpen(false);
  }, [n]);
  if (!data || n === 0)
    return picks ? (
      <footer
        className="flex h-8 items-center border-t border-slate bg-base-200 px-4 text-quiet"
        aria-label="Tray"
      >
        The tray is empty. Changes that you pick up are collected here until you make a plan of them.
      </footer>
    ) : null;
  const conflicts = data.conflicts.length;
  return (
    <footer className="border-t-2 border-base-content bg-base-200" aria-label="Tray">
      {open && <Opened tray={data} />}
      <div className="flex h-11 items-center gap-3 px-4">
        <button className="btn btn-sm btn-ghost gap-1" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? <ChevronDown size={14} aria-hidden /> : <ChevronUp size={14} aria-hidden />}
          {plural(n, 'change')} picked up
        </button>
        {conflicts > 0 ? (
          <span className="flex min-w-0 flex-1 items-center gap-1.5 truncate text-error">
            <AlertTriangle size={14} aria-hidden />
            {plural(conflicts, 'pair')} of changes cannot both be made: open the tray and put one down.
          </span>
        ) : (
          <span className="min-w-0 flex-1 truncate">
            {preview ? losersWords(preview) : 'Working out who would lose access …'}
          </span>
        )}
        {preview && (
          <span className="whitespace-nowrap">
            closes <b>{count(preview.pointsBefore - preview.pointsAfter)}</b> points
          </span>
        )}
        <button
          className="btn btn-sm btn-primary"
          disabled={!preview || preview.changes.length === 0 || conflicts > 0}
          onClick={() => setMaking(true)}
        >
          Make a plan
        </button>
      </div>
      {making && preview && <MakePlan preview={preview} close={() => setMaking(false)} />}
    </footer>
  );
}

/** Every change in its order, to be moved and put down; two that cannot both be had say so. */
function Opened({ tray }: { tray: TrayState }) {
  const refresh = useRefresh();
  const act = useMutation({
    mutationFn: (act: { down: { seqs: number[]; goals: number[] } } | { order: number[] }) =>
      'down' in act ? send('DELETE', '/api/tray', act.down) : send('PUT', '/api/tray', act),
    onSuccess: refresh,
  });
  const down = (seqs: number[], goals: number[] = []) => act.mutate({ down: { seqs, goals } });
  const seqs = tray.list.map((t) => t.seq);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  return (
    <div className="max-h-64 overflow-auto border-b border-slate px-4 py-1">
      {act.error && <Trouble error={act.error} />}
      {tray.goals.map((g) => (
        <div key={g.seq} className="flex h-8 items-center gap-2">
          <Target size={14} aria-hidden className="shrink-0" />
          <span className="min-w-0 flex-1 truncate">
            Goal: <b>{g.words}</b> <span className="text-quiet">checked on fresh data after the plan</span>
          </span>
          <button
            className="btn btn-xs btn-ghost btn-square"
            aria-label={`Remove the goal: ${g.words}`}
            onClick={() => down([], [g.seq])}
          >
            <X size={14} aria-hidden />
          </button>
        </div>
      ))}
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        onDragEnd={({ active, over }) =>
          over &&
          active.id !== over.id &&
          act.mutate({
            order: arrayMove(seqs, seqs.indexOf(active.id as number), seqs.indexOf(over.id as number)),
          })
        }
      >
        <SortableContext items={seqs} strategy={verticalListSortingStrategy}>
          <ol>
            {tray.list.map((t, i) => {
              const words = t.words ?? `This ${t.change.kind} is not in the newest survey any more.`;
              const clash = tray.conflicts
                .filter((c) => c.includes(t.seq))
                .map((c) => seqs.indexOf(c[0] === t.seq ? c[1] : c[0]) + 1);
              return (
                <Picked
                  key={t.seq}
                  seq={t.seq}
                  place={i + 1}
                  of={seqs.length}
                  words={words}
                  gone={!t.words}
                  clash={clash}
                  move={(by) => act.mutate({ order: arrayMove(seqs, i, i + by) })}
                  down={() => down([t.seq])}
                />
              );
            })}
          </ol>
        </SortableContext>
      </DndContext>
      {tray.list.length > 1 && (
        <button
          className="btn btn-xs btn-ghost"
          onClick={() =>
            down(
              seqs,
              tray.goals.map((g) => g.seq),
            )
          }
        >
          Empty the tray
        </button>
      )}
    </div>
  );
}

/** One change in the tray: dragged by its handle, or moved by its arrows. */
function Picked({
  seq,
  place,
  of,
  words,
  gone,
  clash,
  move,
  down,
}: {
  seq: number;
  place: number;
  of: number;
  words: string;
  gone: boolean;
  clash: number[];
  move: (by: number) => void;
  down: () => void;
}) {
  const { setNodeRef, setActivatorNodeRef, listeners, attributes, transform, isDragging } = useSortable({
    id: seq,
  });
  return (
    <li
      ref={(el) => {
        setNodeRef(el);
        if (el) el.style.transform = transform ? `translateY(${transform.y}px)` : '';
      }}
      className={`flex h-8 items-center gap-1 ${gone ? 'text-quiet' : ''} ${isDragging ? 'relative z-10 rounded bg-base-300 shadow' : ''}`}
    >
      <button
        ref={setActivatorNodeRef}
        {...attributes}
        {...listeners}
        aria-label={`Drag: ${words}`}
        className="cursor-grab touch-none rounded px-0.5 text-quiet hover:bg-base-300"
      >
        <GripVertical size={14} aria-hidden />
      </button>
      <span className="w-6 text-right text-quiet">{place}</span>
      <span className="min-w-0 flex-1 truncate pl-2" title={words}>
        {words}
      </span>
      {clash.length > 0 && (
        <span className="flex items-center gap-1 text-error">
          <AlertTriangle size={13} aria-hidden /> cannot go with {clash.join(', ')}
        </span>
      )}
      <button
        className="btn btn-xs btn-ghost btn-square"
        disabled={place === 1}
        aria-label={`Earlier: ${words}`}
        onClick={() => move(-1)}
      >
        <ArrowUp size={14} aria-hidden />
      </button>
      <button
        className="btn btn-xs btn-ghost btn-square"
        disabled={place === of}
        aria-label={`Later: ${words}`}
        onClick={() => move(1)}
      >
        <ArrowDown size={14} aria-hidden />
      </button>
      <button className="btn btn-xs btn-ghost btn-square" aria-label={`Put down: ${words}`} onClick={down}>
        <X size={14} aria-hidden />
      </button>
    </li>
  );
}

function MakePlan({ preview, close }: { preview: Preview; close: () => void }) {
  const [first] = preview.changes;
  const spots = [...new Set(preview.changes.map((c) => c.entry?.on.name ?? c.words))];
  const name = preview.changes.every((c) => c.entry && !c.change.set)
    ? `Close outside access to ${spots[0]}${spots.length > 1 ? ` and ${spots.length - 1} more` : ''}`
    : `${first!.words}${preview.changes.length > 1 ? ` and ${preview.changes.length - 1} more` : ''}`;
  const form = useSchemaForm(planForm, { name: name.slice(0, 200), reason: '' }, async (values) => {
    const { id } = await send('POST', '/api/plans', values);
    location.assign(`/remedy/plans?plan=${id}`);
  });
  return (
    <Dialog title={`Make a plan of ${plural(preview.changes.length, 'change')}`} close={close}>
      <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
        <p className="text-quiet">
          Nothing happens yet: the plan is a draft that shows in full who would lose what.
        </p>
        <Field form={form} name="name" label="Name">
          {(input) => <input {...input} className="input w-full" autoFocus {...form.register('name')} />}
        </Field>
        <Field form={form} name="reason" label="Reason" hint="It goes on the ledger.">
          {(input) => (
            <textarea {...input} className="textarea w-full" rows={2} {...form.register('reason')} />
          )}
        </Field>
        <FormTrouble form={form} />
        <DialogEnd close={close}>
          <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
            Make the plan
          </button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}
