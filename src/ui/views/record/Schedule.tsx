/** Record › Schedule: what runs by itself, and when. */
import { useQuery } from '@tanstack/react-query';
import type { Account } from '../../../dto/accounts.ts';
import { rhythmsForm } from '../../../dto/forms.ts';
import type { ScheduleSettings } from '../../../core/dates.ts';
import type { Waits } from '../../../dto/jobs.ts';
import { ask, send } from '../../frame/api.ts';
import { Shell } from '../../frame/Shell.tsx';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { Field, FormTrouble, TextField, useSchemaForm } from '../../parts/form.tsx';
import { Trouble, When } from '../../parts/marks.tsx';
import { RHYTHMS, rhythmWords } from '../../parts/policy-words.ts';
import type { Column } from '../../parts/table/column.ts';
import { Table } from '../../parts/table/Table.tsx';

export default function Schedule({ account }: { account: Account; search: string }) {
  return (
    <Shell account={account} path="/record/schedule">
      <View />
    </Shell>
  );
}

const KINDS: Record<string, (w: Waits) => { words: string; href?: string }> = {
  policy: (w) => ({ words: `Judge the policy “${w.name}”`, href: `/guard/policies?policy=${w.subject}` }),
  plan: (w) => ({ words: `Apply the plan “${w.name}”`, href: `/remedy/plans?plan=${w.subject}` }),
  'survey-rhythm': (w) => ({
    words: w.subject === 0 ? 'Survey everything' : 'Survey what changed',
    href: '/survey/sources',
  }),
  survey: () => ({ words: 'Go on with a survey', href: '/survey/sources' }),
  'app-domains': () => ({ words: 'Look up the domains of apps', href: '/exposure/apps?domains=' }),
  'ask-events': () => ({ words: 'Ask the workspaces what happened', href: '/guard/events' }),
  rounds: () => ({
    words: 'Go on with rounds: ask, remind, and do what was answered',
    href: '/review/rounds',
  }),
  'review-rhythm': () => ({
    words: 'Ask owners what the rhythm of their charters wants asked',
    href: '/review/charters',
  }),
  orders: () => ({ words: 'Go on with runs of standing orders', href: '/guard/orders?list=runs' }),
  order: (w) => ({
    words: `Look whom the standing order “${w.name}” is about`,
    href: `/guard/orders?order=${w.subject}`,
  }),
  alerts: () => ({ words: 'Work out who is told', href: '/record/messages' }),
  messages: () => ({ words: 'Send messages that are due', href: '/record/messages' }),
  'tidy-events': () => ({ words: 'Drop events that are older than is kept', href: '/guard/events' }),
};
const wordsOf = (w: Waits): { words: string; href?: string } => KINDS[w.kind]?.(w) ?? { words: w.kind };

const COLUMNS: Column<Waits>[] = [
  { key: 'due', name: 'When', width: '150px', cell: (w) => <When at={w.due} /> },
  {
    key: 'what',
    name: 'What',
    width: 'minmax(280px, 2fr)',
    cell: (w) => {
      const { words, href } = wordsOf(w);
      return href ? (
        <a className="truncate underline decoration-slate" href={href}>
          {words}
        </a>
      ) : (
        <span className="truncate">{words}</span>
      );
    },
  },
  {
    key: 'by',
    name: 'Asked for by',
    width: 'minmax(160px, 1fr)',
    cell: (w) => <span className="truncate">{w.by}</span>,
  },
];

function View() {
  const { data, error, refetch } = useQuery({ ...ask('/api/schedule'), refetchInterval: 30_000 });
  if (error) return <Trouble error={error} retry={() => void refetch()} />;
  if (!data) return null;
  return (
    <div className="flex h-full flex-col px-5 pt-2.5">
      <Rhythms key={JSON.stringify(data.settings)} settings={data.settings} />
      <h2 className="pb-1 pt-4 font-bold">What comes next</h2>
      <div className="min-h-0 flex-1 border-t border-slate">
        <Table
          label="What comes next"
          columns={COLUMNS}
          rows={data.waiting}
          rowKey={(w) => `${w.kind} ${w.subject}`}
          selected={undefined}
          onSelect={() => undefined}
          onEnd={() => undefined}
        />
      </div>
    </div>
  );
}

/** When surveys are made by themselves, and by which clock. */
function Rhythms({ settings }: { settings: ScheduleSettings }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const form = useSchemaForm<ScheduleSettings>(rhythmsForm, settings, async (values) => {
    await send('PUT', '/api/schedule', values);
    refresh();
  });
  const select = (name: 'full' | 'incremental', label: string) => (
    <Field form={form} name={name} label={label}>
      {(input) => (
        <select
          {...input}
          className="select select-sm w-64"
          disabled={!steward}
          value={form.watch(name) ?? ''}
          onChange={(e) => form.setValue(name, e.target.value || null, { shouldDirty: true })}
        >
          {[...new Set(['', ...RHYTHMS, settings[name] ?? ''])].map((r) => (
            <option key={r} value={r}>
              {rhythmWords(r, 'Only when somebody asks for it')}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  return (
    <form className="flex flex-col gap-2" onSubmit={form.submit} noValidate>
      <h1 className="text-base font-bold">What runs by itself</h1>
      <div className="flex flex-wrap items-start gap-4">
        {select('full', 'Everything is surveyed')}
        {select('incremental', 'What changed is surveyed')}
        <TextField
          form={form}
          name="zone"
          label="By the clock of"
          className="input input-sm w-52"
          readOnly={!steward}
          hint="for surveys and policies alike"
        />
        {steward && (
          <button
            className="btn btn-sm btn-primary self-center"
            disabled={form.formState.isSubmitting || !form.formState.isDirty}
          >
            Save
          </button>
        )}
      </div>
      <FormTrouble form={form} />
    </form>
  );
}
