/** The frame of every screen: course bar, scope line, main, dossier, tray, command line. */
import { QueryClientProvider, useMutation, useQuery } from '@tanstack/react-query';
import { Command as CommandIcon, LogOut, Moon, Sun } from 'lucide-react';
import { useEffect, useState, type ReactNode } from 'react';
import type { Account } from '../../dto/accounts.ts';
import { client, useLive, ask, send } from './api.ts';
import { CommandLine } from './CommandLine.tsx';
import { count, plural, When } from '../parts/marks.tsx';
import { useDates, whenWords } from '../parts/dates.ts';
import { asOfOf, inScope, useUrl } from './url.ts';
import { SignedContext, switchTheme, useSigned } from './signed.ts';
import { heldWords } from '../parts/held-words.ts';
import { STEPS, stepsFor, viewOf } from '../views.ts';
import { Toasts } from '../parts/Toasts.tsx';
import { Tray } from './Tray.tsx';

interface ShellProps {
  account: Account;
  path: string;
  dossier?: ReactNode;
  children: ReactNode;
}

export function Shell(props: ShellProps) {
  return (
    <QueryClientProvider client={client}>
      <Toasts>
        <Frame {...props} />
      </Toasts>
    </QueryClientProvider>
  );
}

function Frame({ account, path, dossier, children }: ShellProps) {
  useDates(account.dates);
  if (account.role === 'owner')
    return path === '/accounts' ? (
      <SignedContext.Provider value={{ account, steward: false, live: {} }}>
        <div className="mx-auto h-dvh overflow-auto py-6">
          <a href="/" className="link mx-auto block w-[408px]">
            Back
          </a>
          {children}
        </div>
      </SignedContext.Provider>
    ) : (
      <OwnersLater account={account} />
    );
  return <SignedFrame account={account} path={path} dossier={dossier} children={children} />;
}

function SignedFrame({ account, path, dossier, children }: ShellProps) {
  const live = useLive();
  const steward = account.role === 'steward';
  return (
    <SignedContext.Provider value={{ account, steward, live }}>
      <div className="flex h-dvh flex-col">
        <CourseBar path={path} />
        <ScopeLine path={path} />
        <div className="flex min-h-0 flex-1">
          <main className="min-w-0 flex-1 overflow-hidden">{children}</main>
          {dossier}
        </div>
        {steward && <Tray picks={viewOf(path)?.picks === true} />}
      </div>
      <CommandLine />
    </SignedContext.Provider>
  );
}

function CourseBar({ path }: { path: string }) {
  const { account, live } = useSigned();
  const [params] = useUrl('');
  const { data: course } = useQuery({ ...ask('/api/course'), enabled: account.role !== 'owner' });
  const counts: Record<string, ReactNode> = {
    Survey: live.survey ? (
      'running'
    ) : course?.survey.last ? (
      <When at={course.survey.last} />
    ) : (
      course && 'none yet'
    ),
    Exposure: course ? `${count(course.exposure)} open` : '',
    Remedy: course ? (course.remedy ? `${course.remedy} to finish` : 'none open') : '',
    Guard: course
      ? course.signals
        ? `${plural(course.signals, 'signal')} to look at`
        : course.policies
          ? plural(course.policies, 'policy', 'policies')
          : plural(course.guard, 'data type')
      : '',
    Review: course ? (course.asked ? `${count(course.asked)} waiting` : 'nobody asked') : '',
    Record: course ? `${count(course.record)} entries` : '',
  };
  const step = STEPS.find((s) => s.views.some((v) => v.path === path));
  const sign = useMutation({
    mutationFn: () => send('DELETE', '/api/session'),
    onSuccess: () => location.assign('/sign-in'),
  });
  return (
    <header className="border-b border-slate">
      <div className="flex h-12 items-stretch pr-3">
        <a href="/" className="flex items-center gap-2 pl-4 pr-5 font-bold" aria-label="Gate Lantern, home">
          <svg width="22" height="22" viewBox="0 0 32 32" aria-hidden>
            <path d="M8 12.5v7L27 26V6z" className="fill-beam" />
            <path d="M6 6v20" className="stroke-base-content" strokeWidth="3" strokeLinecap="round" />
          </svg>
          <span className="hidden min-[1120px]:inline">Gate Lantern</span>
        </a>
        <nav aria-label="Steps" className="flex flex-1 items-stretch">
          {stepsFor(account).map((s, i) => {
            const open = s === step;
            const inner = (
              <>
                <span className={open ? 'font-bold' : 'font-medium'}>{s.name}</span>
                <span className="text-xs text-quiet">
                  {s.views.length ? counts[s.name] : 'not for a part'}
                </span>
              </>
            );
            const shape = `relative flex min-w-24 flex-col justify-center px-3 leading-tight`;
            return (
              <div key={s.name} className="flex items-stretch">
                {i > 0 && <span aria-hidden className="w-3 self-center border-t border-slate" />}
                {s.views.length ? (
                  <a
                    href={inScope(s.views[0]!.path, params)}
                    aria-current={open ? 'step' : undefined}
                    className={`${shape} hover:bg-base-200`}
                  >
                    {inner}
                    {open && (
                      <span aria-hidden className="absolute inset-x-3 bottom-0 h-[3px] bg-base-content" />
                    )}
                  </a>
                ) : (
                  <span className={`${shape} text-quiet`} title="This is about the whole organisation">
                    {inner}
                  </span>
                )}
              </div>
            );
          })}
        </nav>
        <div className="flex items-center gap-1">
          <button
            className="btn btn-sm btn-ghost gap-2 font-normal text-quiet"
            onClick={() => dispatchEvent(new Event('gl-command'))}
          >
            <CommandIcon size={14} aria-hidden /> Search <kbd className="kbd kbd-xs">Ctrl K</kbd>
          </button>
          <ThemeButton />
          <a
            href="/accounts"
            title={account.role === 'steward' ? 'Accounts, and your own' : 'Your account'}
            aria-current={path === '/accounts' ? 'page' : undefined}
            className="rounded px-2 text-right leading-tight hover:bg-base-200"
          >
            <span className="block text-[13px]">{account.name}</span>
            <span className="block text-xs text-quiet">{account.role}</span>
          </a>
          <button
            className="btn btn-sm btn-square btn-ghost"
            aria-label="Sign out"
            title="Sign out"
            onClick={() => sign.mutate()}
          >
            <LogOut size={15} aria-hidden />
          </button>
        </div>
      </div>
    </header>
  );
}

function ThemeButton() {
  const [dark, setDark] = useState(false);
  useEffect(() => {
    const read = () => setDark(document.documentElement.dataset.theme === 'dusk');
    read();
    addEventListener('gl-theme', read);
    return () => removeEventListener('gl-theme', read);
  }, []);
  const Icon = dark ? Sun : Moon;
  const label = dark ? 'Light theme (fog)' : 'Dark theme (dusk)';
  return (
    <button
      className="btn btn-sm btn-square btn-ghost"
      aria-label={label}
      title={label}
      onClick={switchTheme}
    >
      <Icon size={15} aria-hidden />
    </button>
  );
}

function ScopeLine({ path }: { path: string }) {
  const { account } = useSigned();
  const [params, set] = useUrl('');
  const space = params.get('space');
  const ws = params.get('ws');
  const asOf = asOfOf(params);
  const { data: sources } = useQuery(ask('/api/sources'));
  const { data: course } = useQuery({ ...ask('/api/course'), enabled: account.role !== 'owner' });
  const { data: surveys } = useQuery(ask('/api/surveys'));
  const step = stepsFor(account).find((s) => s.views.some((v) => v.path === path));
  const workspaces = sources?.filter((s) => s.kind !== 'directory') ?? [];
  const past = (surveys ?? []).filter((s) => s.state === 'done' && s.id !== course?.survey.id);
  const asOfMatters = viewOf(path)?.past === true;
  // a page that is about no survey has no scope
  if (!step) return null;
  return (
    <div className="flex h-9 items-center gap-4 border-b border-slate bg-base-200 px-4">
      <nav aria-label="Views of this step" className="flex shrink-0 gap-3">
        {step?.views.map((v) => (
          <a
            key={v.path}
            href={inScope(v.path, params)}
            aria-current={v.path === path ? 'page' : undefined}
            title={v.asks}
            className={v.path === path ? 'font-semibold' : 'text-quiet hover:underline'}
          >
            {v.name}
          </a>
        ))}
      </nav>
      <span aria-hidden className="h-4 border-l border-slate" />
      <div className="flex min-w-0 flex-1 items-center gap-2 overflow-hidden" role="group" aria-label="Scope">
        {account.held && (
          <Chip>
            limited to <b>{account.held.map(heldWords).join(', and within that to ')}</b>
          </Chip>
        )}
        {ws ? (
          <Chip drop={() => set({ ws: undefined })} label="Show all workspaces">
            {workspaces.find((w) => w.id === ws)?.name ?? ws}
          </Chip>
        ) : (
          workspaces.length > 0 && (
            <select
              className="h-6 max-w-44 cursor-pointer rounded border border-slate bg-base-100 px-1.5 text-[13px]"
              aria-label="Show one workspace only"
              value=""
              onChange={(e) => set({ ws: e.target.value, space: undefined }, 'push')}
            >
              <option value="">
                {workspaces.length === 1 ? workspaces[0]!.name : `all ${workspaces.length} workspaces`}
              </option>
              {workspaces.length > 1 &&
                workspaces.map((w) => (
                  <option key={w.id} value={w.id}>
                    {w.name} alone
                  </option>
                ))}
            </select>
          )
        )}
        {space && (
          <Chip drop={() => set({ space: undefined })} label={`Remove the space ${space} from the scope`}>
            space {space}
          </Chip>
        )}
        {asOfMatters && asOf !== undefined ? (
          <Chip drop={() => set({ asof: undefined })} label="Back to the newest survey">
            <b>as of survey {asOf}</b>, <When at={surveys?.find((s) => s.id === asOf)?.takenAt} />
          </Chip>
        ) : course?.survey.id ? (
          asOfMatters && past.length > 0 ? (
            <select
              className="h-6 max-w-64 cursor-pointer rounded border border-slate bg-base-100 px-1.5 text-[13px]"
              aria-label="As of which survey"
              value=""
              onChange={(e) => set({ asof: e.target.value }, 'push')}
            >
              <option value="">as of survey {course.survey.id}, the newest</option>
              {past.map((s) => (
                <option key={s.id} value={s.id}>
                  as of survey {s.id}, {whenWords(s.takenAt ?? s.startedAt)}
                </option>
              ))}
            </select>
          ) : (
            <Chip>
              as of survey {course.survey.id}, <When at={course.survey.last} />
            </Chip>
          )
        ) : (
          <Chip>no survey yet</Chip>
        )}
      </div>
    </div>
  );
}

function Chip({ children, drop, label }: { children: ReactNode; drop?: () => void; label?: string }) {
  return (
    <span className="inline-flex h-6 items-center gap-1 whitespace-nowrap rounded border border-slate bg-base-100 px-2 text-[13px]">
      {children}
      {drop && (
        <button
          className="-mr-1 cursor-pointer rounded px-1 hover:bg-base-200"
          aria-label={label}
          onClick={drop}
        >
          ×
        </button>
      )}
    </span>
  );
}

function OwnersLater({ account }: { account: Account }) {
  const leave = () => void send('DELETE', '/api/session').then(() => location.assign('/sign-in'));
  return (
    <div className="flex h-dvh flex-col items-center justify-center gap-4 text-center">
      <h1 className="text-xl font-bold">The owner desk is still to come</h1>
      <p className="max-w-md text-quiet">
        {account.name}, this is where you will answer for the spaces you own. Until then there is nothing here
        for the role owner.
      </p>
      <div className="flex gap-2">
        <a className="btn btn-sm" href="/accounts">
          Your account
        </a>
        <button className="btn btn-sm" onClick={leave}>
          Sign out
        </button>
      </div>
    </div>
  );
}
