/** What can be done with a plan, as the API takes it. */
import type { PlanState } from '../../../../dto/remedy.ts';
import { useMutation } from '@tanstack/react-query';
import { send } from '../../../frame/api.ts';
import { useRefresh } from '../../../frame/signed.ts';

/** What can be done with a plan, without its number. */
export type Body = Acts extends infer A ? (A extends unknown ? Omit<A, 'id'> : never) : never;

type Act = (body: Body) => void;

export function useAct(id: number): { act: Act; pending: boolean; error: Error | null } {
  const refresh = useRefresh();
  const m = useMutation({
    mutationFn: (body: Body) => send('POST', '/api/plans/[id]', { ...body, id }),
    onSettled: refresh,
  });
  return { act: m.mutate, pending: m.isPending, error: m.error };
}

export type Acts = Parameters<typeof send<'POST', '/api/plans/[id]'>>[2];

export const ENDED: readonly PlanState[] = ['applied', 'undone'];
