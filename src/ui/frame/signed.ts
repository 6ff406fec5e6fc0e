/** What every part of a screen shares: who is signed in, the steps, the theme. */
import { useQueryClient } from '@tanstack/react-query';
import { createContext, useContext } from 'react';
import type { Account } from '../../dto/accounts.ts';
import type { LiveSurvey } from './api.ts';

export const STEPS = [
  {
    name: 'Survey',
    views: [
      { name: 'Sources', path: '/survey/sources' },
      { name: 'Holdings', path: '/survey/holdings' },
      { name: 'People & groups', path: '/survey/people' },
      { name: 'Changes', path: '/survey/changes' },
    ],
  },
  {
    name: 'Exposure',
    views: [
      { name: 'Watch', path: '/exposure/watch' },
      { name: 'Findings', path: '/exposure/findings' },
      { name: 'Causes', path: '/exposure/causes' },
      { name: 'Contents', path: '/exposure/contents' },
      { name: 'Outside', path: '/exposure/outside' },
      { name: 'Cross-tab', path: '/exposure/cross-tab' },
    ],
  },
  {
    name: 'Remedy',
    views: [
      { name: 'Plans', path: '/remedy/plans' },
      { name: 'Quarantine', path: '/remedy/quarantine' },
    ],
  },
  { name: 'Guard', views: [{ name: 'Data types', path: '/guard/data-types' }] },
  { name: 'Review', views: [] },
  { name: 'Record', views: [{ name: 'Ledger', path: '/record/ledger' }] },
] as const;

interface Signed {
  account: Account;
  steward: boolean;
  live: LiveSurvey | undefined;
}
export const SignedContext = createContext<Signed | undefined>(undefined);
export const useSigned = (): Signed => useContext(SignedContext)!;

export function switchTheme(): void {
  const next = document.documentElement.dataset.theme === 'dusk' ? 'fog' : 'dusk';
  document.documentElement.dataset.theme = next;
  document.cookie = `gl-theme=${next}; Path=/; Max-Age=31536000; SameSite=Lax`;
  dispatchEvent(new Event('gl-theme'));
}

/** Refetches everything that a steward’s own act may have changed. */
export function useRefresh(): () => void {
  const queries = useQueryClient();
  return () => void queries.invalidateQueries();
}
