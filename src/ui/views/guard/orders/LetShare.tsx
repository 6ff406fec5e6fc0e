/** Lets somebody share again whose sharing is suspended. */
import { useMutation } from '@tanstack/react-query';
import { send } from '../../../frame/api.ts';
import { useRefresh, useSigned } from '../../../frame/signed.ts';
import { Trouble } from '../../../parts/marks.tsx';

export function LetShare({ id }: { id: number }) {
  const { steward } = useSigned();
  const refresh = useRefresh();
  const letShare = useMutation({
    mutationFn: () => send('DELETE', '/api/orders/suspended', { id }),
    onSuccess: refresh,
  });
  if (!steward) return null;
  return (
    <>
      <button className="btn btn-xs" disabled={letShare.isPending} onClick={() => letShare.mutate()}>
        Let them share again
      </button>
      {letShare.error && <Trouble error={letShare.error} />}
    </>
  );
}
