/** What every part of a screen shares: who is signed in, and the theme. */
import { useQueryClient } from '@tanstack/react-query';
import { createContext, useContext } from 'react';
import type { Account } from '../../dto/accounts.ts';
import type { LiveJobs } from './api.ts';

interface Signed {
  account: Account;
  steward: boolean;
  /** What runs now. */
  live: LiveJobs;
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
