/** Search over every object and every action: Ctrl or ⌘ K. */
import { useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { useEffect, useState } from 'react';
import type { FindingRow, PlanRow } from '../services/dto.ts';
import { api, withQuery } from './api.ts';
import { Beam } from './marks.tsx';
import { STEPS, switchTheme, useSigned } from './Shell.tsx';

export function CommandLine() {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const { steward, live } = useSigned();
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() !== 'k' || !(e.ctrlKey || e.metaKey)) return;
      e.preventDefault();
      setOpen((o) => !o);
    };
    const show = () => setOpen(true);
    addEventListener('keydown', onKey);
    addEventListener('gl-command', show);
    return () => {
      removeEventListener('keydown', onKey);
      removeEventListener('gl-command', show);
    };
  }, []);
  const { data: findings } = useQuery({
    queryKey: ['command', text],
    enabled: open,
    queryFn: () => api<{ rows: FindingRow[] }>('GET', withQuery('/api/findings', { text, state: 'all', limit: 8 })),
  });
  const { data: plans } = useQuery({ queryKey: ['plans'], enabled: open, queryFn: () => api<PlanRow[]>('GET', '/api/plans') });
  const act = (work: () => unknown) => () => {
    setOpen(false);
    void work();
  };
  const go = (path: string) => act(() => location.assign(path));
  const has = (...words: string[]) => words.join(' ').toLowerCase().includes(text.toLowerCase());
  const actions = [
    ...(steward && !live ? [{ name: 'Start a survey', run: act(() => api('POST', '/api/surveys').then(() => location.assign('/survey/sources'))) }] : []),
    { name: 'Switch between the themes fog and dusk', run: act(switchTheme) },
    { name: 'Export the ledger', run: go('/api/ledger/export') },
    { name: 'Sign out', run: act(() => api('DELETE', '/api/session').then(() => location.assign('/sign-in'))) },
  ].filter((a) => has(a.name));
  const views = STEPS.flatMap((s) => s.views.map((v) => ({ ...v, step: s.name }))).filter((v) => has(v.step, v.name));
  const heading = 'px-2 pt-2 pb-1 text-xs text-quiet [&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-quiet';
  const item = 'flex h-8 cursor-pointer items-center gap-3 rounded px-2 text-[13.5px] text-base-content data-[selected=true]:bg-base-300';
  return (
    <Command.Dialog
      open={open}
      onOpenChange={setOpen}
      shouldFilter={false}
      label="Search every object and action"
      overlayClassName="fixed inset-0 z-40 bg-black/40"
      contentClassName="fixed left-1/2 top-24 z-50 w-[640px] -translate-x-1/2 overflow-hidden rounded-md border border-slate bg-base-100 shadow-xl"
    >
      <Command.Input value={text} onValueChange={setText} placeholder="Find a file, a plan, a view, or something to do" className="h-12 w-full border-b border-slate bg-transparent px-4 text-base outline-none" />
      <Command.List className="max-h-[420px] overflow-auto pb-2">
        <Command.Empty className="px-4 py-6 text-quiet">Nothing by that name. Try part of a file’s, person’s or domain’s name.</Command.Empty>
        {!!findings?.rows.length && (
          <Command.Group heading="Findings" className={heading}>
            {findings.rows.map((f) => (
              <Command.Item key={f.id} value={`f${f.id}`} className={item} onSelect={go(`/exposure/findings?${f.state === 'fixed' ? 'state=fixed&' : ''}finding=${f.id}`)}>
                <span className="min-w-0 flex-1 truncate">
                  {f.summary.name} <span className="text-quiet">{f.summary.path}</span>
                </span>
                <Beam now={f.now} could={f.could} words={false} />
              </Command.Item>
            ))}
          </Command.Group>
        )}
        {!!plans?.filter((p) => has(p.name)).length && (
          <Command.Group heading="Plans" className={heading}>
            {plans
              .filter((p) => has(p.name))
              .slice(0, 5)
              .map((p) => (
                <Command.Item key={p.id} value={`p${p.id}`} className={item} onSelect={go(`/remedy/plans?plan=${p.id}`)}>
                  {p.name} <span className="text-quiet">{p.state}</span>
                </Command.Item>
              ))}
          </Command.Group>
        )}
        {views.length > 0 && (
          <Command.Group heading="Views" className={heading}>
            {views.map((v) => (
              <Command.Item key={v.path} value={v.path} className={item} onSelect={go(v.path)}>
                {v.step} › {v.name}
              </Command.Item>
            ))}
          </Command.Group>
        )}
        {actions.length > 0 && (
          <Command.Group heading="Actions" className={heading}>
            {actions.map((a) => (
              <Command.Item key={a.name} value={a.name} className={item} onSelect={a.run}>
                {a.name}
              </Command.Item>
            ))}
          </Command.Group>
        )}
      </Command.List>
    </Command.Dialog>
  );
}
