/** Search over every object and every action: Ctrl or ⌘ K. */
import { useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { Dialog as Radix } from 'radix-ui';
import { useEffect, useState, type ReactNode } from 'react';
import { withQuery, ask, send } from './api.ts';
import { Beam } from '../parts/marks.tsx';
import { switchTheme, useSigned } from './signed.ts';
import { stepsFor } from '../views.ts';

export default function CommandPanel({ open, setOpen }: { open: boolean; setOpen: (open: boolean) => void }) {
  const [text, setText] = useState('');
  const { account, steward, live } = useSigned();
  const [chosen, setChosen] = useState('');
  const { data: findings } = useQuery({
    ...ask('/api/findings', { text, state: 'all', limit: 8 }),
    enabled: open,
  });
  const { data: plans } = useQuery({ ...ask('/api/plans'), enabled: open });
  const { data: things } = useQuery({
    ...ask('/api/search', { text, limit: 12 }),
    enabled: open && text.length > 1,
  });
  const first = text && findings?.rows[0] ? `f${findings.rows[0].id}` : undefined;
  useEffect(() => {
    if (first) setChosen(first);
  }, [first]);
  const act = (work: () => unknown) => () => {
    setOpen(false);
    void work();
  };
  const go = (path: string) => act(() => location.assign(path));
  const has = (...words: string[]) => words.join(' ').toLowerCase().includes(text.toLowerCase());
  const actions = [
    ...(steward && !live.survey
      ? [
          {
            name: 'Start a survey',
            run: act(() => send('POST', '/api/surveys').then(() => location.assign('/survey/sources'))),
          },
          {
            name: 'Survey what changed since the last one',
            run: act(() =>
              send('POST', '/api/surveys', { kind: 'incremental' }).then(() =>
                location.assign('/survey/sources'),
              ),
            ),
          },
        ]
      : []),
    { name: 'Switch between the themes fog and dusk', run: act(switchTheme) },
    ...(account.held ? [] : [{ name: 'Export the ledger', run: go('/api/ledger/export') }]),
    { name: 'Export the newest survey as a bulk extract', run: go('/api/extracts') },
    {
      name: 'Sign out',
      run: act(() => send('DELETE', '/api/session').then(() => location.assign('/sign-in'))),
    },
  ].filter((a) => has(a.name));
  const views = stepsFor(account)
    .flatMap((s) => s.views.map((v) => ({ ...v, step: s.name })))
    .filter((v) => has(v.step, v.name));
  const heading =
    'px-2 pt-2 pb-1 text-xs text-quiet [&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-quiet';
  const item =
    'flex h-8 cursor-pointer items-center gap-3 rounded px-2 text-[13.5px] text-base-content data-[selected=true]:bg-base-300';
  const foundFindings: ReactNode = !!findings?.rows.length && (
    <Command.Group key="findings" heading="Findings" className={heading}>
      {findings.rows.map((f) => (
        <Command.Item
          key={f.id}
          value={`f${f.id}`}
          className={item}
          onSelect={go(`/exposure/findings?${f.state === 'fixed' ? 'state=fixed&' : ''}finding=${f.id}`)}
        >
          <span className="min-w-0 flex-1 truncate">
            {f.summary.name} <span className="text-quiet">{f.summary.path}</span>
          </span>
          <Beam now={f.now} could={f.could} words={false} />
        </Command.Item>
      ))}
    </Command.Group>
  );
  const foundPlans: ReactNode = !!plans?.rows.some((p) => has(p.name)) && (
    <Command.Group key="plans" heading="Plans" className={heading}>
      {plans.rows
        .filter((p) => has(p.name))
        .slice(0, 5)
        .map((p) => (
          <Command.Item
            key={p.id}
            value={`p${p.id}`}
            className={item}
            onSelect={go(`/remedy/plans?plan=${p.id}`)}
          >
            {p.name} <span className="text-quiet">{p.state}</span>
          </Command.Item>
        ))}
    </Command.Group>
  );
  const foundThings: ReactNode = !!things?.length && (
    <Command.Group key="things" heading="Holdings, people and groups" className={heading}>
      {things.map((t) => (
        <Command.Item
          key={t.key}
          value={t.key}
          className={item}
          onSelect={go(
            t.kind === 'person' || t.kind === 'group'
              ? withQuery('/survey/people', {
                  show: t.key.startsWith('outsider:')
                    ? 'outsiders'
                    : t.kind === 'group'
                      ? 'groups'
                      : 'members',
                  sel: t.key,
                })
              : withQuery('/survey/holdings', { sel: t.key }),
          )}
        >
          <span className="min-w-0 flex-1 truncate">
            {t.name} <span className="text-quiet">{t.detail}</span>
          </span>
          <span className="text-quiet">{t.kind}</span>
        </Command.Item>
      ))}
    </Command.Group>
  );
  const toViews: ReactNode = views.length > 0 && (
    <Command.Group key="views" heading="Views" className={heading}>
      {views.map((v) => (
        <Command.Item key={v.path} value={v.path} className={item} onSelect={go(v.path)}>
          {v.step} › {v.name}
        </Command.Item>
      ))}
    </Command.Group>
  );
  const toDo: ReactNode = actions.length > 0 && (
    <Command.Group key="actions" heading="Actions" className={heading}>
      {actions.map((a) => (
        <Command.Item key={a.name} value={a.name} className={item} onSelect={a.run}>
          {a.name}
        </Command.Item>
      ))}
    </Command.Group>
  );
  return (
    <Radix.Root open={open} onOpenChange={setOpen}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-50 bg-black/40" />
        <Radix.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-24 z-50 w-[640px] max-w-[96vw] -translate-x-1/2 overflow-hidden rounded-md border border-slate bg-base-100 text-base-content shadow-xl outline-none"
        >
          <Radix.Title className="sr-only">Search every object and action</Radix.Title>
          <Command
            shouldFilter={false}
            label="Search every object and action"
            value={chosen}
            onValueChange={setChosen}
          >
            <Command.Input
              value={text}
              onValueChange={setText}
              placeholder="Find a file, a plan, a view, or something to do"
              className="h-12 w-full border-b border-slate bg-transparent px-4 text-base outline-none focus-visible:outline-none"
            />
            <Command.List className="max-h-[420px] overflow-auto pb-2">
              <Command.Empty className="px-4 py-6 text-quiet">
                Nothing by that name. Try part of a file’s, person’s or domain’s name.
              </Command.Empty>
              {text
                ? [foundFindings, foundThings, foundPlans, toViews, toDo]
                : [toViews, toDo, foundPlans, foundFindings]}
            </Command.List>
          </Command>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
