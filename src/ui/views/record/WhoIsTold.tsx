/** Who is told of what by itself: rules that read as sentences. */
import { useQuery } from '@tanstack/react-query';
import { Trash2 } from 'lucide-react';
import { SEVERITIES } from '../../../core/exposure/exposure.ts';
import {
  ALERT_KINDS,
  alertRulesForm,
  ALERTS,
  type AlertKind,
  type AlertRule,
} from '../../../core/messages/alerts.ts';
import { ask, send } from '../../frame/api.ts';
import { useRefresh, useSigned } from '../../frame/signed.ts';
import { Dialog, DialogEnd } from '../../parts/Dialog.tsx';
import { FormTrouble, useSchemaForm } from '../../parts/form.tsx';
import { Trouble } from '../../parts/marks.tsx';
import { Picker } from '../../parts/Picker.tsx';
import { Recipients } from '../../parts/Recipients.tsx';

const FIRST: AlertRule = {
  kinds: [...ALERT_KINDS],
  from: 'high',
  workspaces: [],
  types: [],
  to: [{ stewards: true }],
  gathered: false,
};

export function WhoIsTold({ close }: { close: () => void }) {
  const { data, error } = useQuery(ask('/api/messages/alerts'));
  return (
    <Dialog title="Who is told of what" size="wide" close={close}>
      {error && <Trouble error={error} />}
      {data && <Rules given={data.rules} channels={data.channels} close={close} />}
    </Dialog>
  );
}

function Rules({
  given,
  channels,
  close,
}: {
  given: readonly AlertRule[];
  channels: readonly { id: string; name: string }[];
  close: () => void;
}) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const { data: sources } = useQuery(ask('/api/sources'));
  const { data: types } = useQuery(ask('/api/data-types'));
  const form = useSchemaForm(alertRulesForm, { rules: [...given] }, async (values) => {
    await send('PUT', '/api/messages/alerts', values);
    refresh();
    close();
  });
  const rules = form.watch('rules');
  const set = (next: AlertRule[]): void => form.setValue('rules', next, { shouldDirty: true });
  const workspaces = (sources ?? []).flatMap((s) =>
    s.kind === 'directory' ? [] : { value: s.id, name: s.name },
  );
  return (
    <form className="flex flex-col gap-3 p-4" onSubmit={form.submit} noValidate>
      <p className="text-quiet">
        Standing orders tell whom they name. Here somebody is told of all that is alike. What is urgent comes
        at once; the rest is gathered as whoever reads it wants.
      </p>
      {rules.length === 0 && <p>Nobody is told of anything by itself so far.</p>}
      {rules.map((rule, n) => {
        const put = (more: Partial<AlertRule>): void =>
          set(rules.map((r, k) => (k === n ? { ...r, ...more } : r)));
        const list = (
          label: string,
          had: readonly string[],
          all: string,
          choices: readonly { value: string; name: string }[],
          change: (list: string[]) => void,
        ) => (
          <>
            {had.length === 0 && <span>{all}</span>}
            {had.map((v) => {
              const name = choices.find((c) => c.value === v)?.name ?? v;
              return (
                <span key={v} className="badge badge-sm gap-1">
                  {name}
                  <button
                    type="button"
                    aria-label={`Not ${name}`}
                    onClick={() => change(had.filter((x) => x !== v))}
                  >
                    ×
                  </button>
                </span>
              );
            })}
            <Picker
              label={label}
              look="btn btn-xs"
              button={had.length ? 'or …' : 'only …'}
              groups={[{ choices: choices.filter((c) => !had.includes(c.value)) }]}
              choose={(v) => change([...had, v])}
            />
          </>
        );
        return (
          <fieldset
            key={n}
            disabled={!steward}
            aria-label={`Rule ${n + 1}`}
            className="flex items-start gap-3 border-t border-base-300 pt-3"
          >
            <div className="flex flex-1 flex-wrap items-center gap-2">
              <span>Of</span>
              {ALERT_KINDS.map((kind: AlertKind) => (
                <label key={kind} className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-xs"
                    checked={rule.kinds.includes(kind)}
                    onChange={(e) =>
                      put({
                        kinds: ALERT_KINDS.filter((k) =>
                          k === kind ? e.target.checked : rule.kinds.includes(k),
                        ),
                      })
                    }
                  />
                  {ALERTS[kind]}
                </label>
              ))}
              <span className="basis-full" />
              <span>from severity</span>
              <select
                className="select select-xs w-24"
                aria-label="Least severity"
                value={rule.from}
                onChange={(e) => put({ from: e.target.value as AlertRule['from'] })}
              >
                {SEVERITIES.map((s) => (
                  <option key={s}>{s}</option>
                ))}
              </select>
              <span>in</span>
              {list('Only some workspaces', rule.workspaces, 'all workspaces', workspaces, (w) =>
                put({ workspaces: w }),
              )}
              <span>holding</span>
              {list(
                'Only some data types',
                rule.types,
                'anything',
                (types?.rows ?? []).map((t) => ({ value: t.name, name: t.name })),
                (t) => put({ types: t }),
              )}
              <span className="basis-full" />
              <span>tell</span>
              <Recipients
                to={rule.to}
                channels={channels}
                of={['owner', 'manager', 'stewards']}
                change={(to) => put({ to })}
              />
              <select
                className="select select-xs w-52"
                aria-label="How soon"
                value={rule.gathered ? 'gathered' : 'soon'}
                onChange={(e) => put({ gathered: e.target.value === 'gathered' })}
              >
                <option value="soon">what is urgent at once</option>
                <option value="gathered">gathered, however urgent</option>
              </select>
            </div>
            {steward && (
              <button
                type="button"
                className="btn btn-xs btn-ghost btn-square"
                aria-label={`Remove rule ${n + 1}`}
                onClick={() => set(rules.filter((_, k) => k !== n))}
              >
                <Trash2 size={14} aria-hidden />
              </button>
            )}
          </fieldset>
        );
      })}
      <FormTrouble form={form} />
      <DialogEnd close={close} leave={steward ? 'Cancel' : 'Close'}>
        {steward && (
          <>
            <button type="button" className="btn btn-sm" onClick={() => set([...rules, FIRST])}>
              Add a rule
            </button>
            <button className="btn btn-sm btn-primary" disabled={form.formState.isSubmitting}>
              Save
            </button>
          </>
        )}
      </DialogEnd>
    </form>
  );
}
