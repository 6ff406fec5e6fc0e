/** People of the organisation, as somebody names them. */
import type { Engine } from '../engine/engine.ts';
import type { Asked } from '../dto/review.ts';
import { AppError } from './errors.ts';

/** Somebody of the organisation who can be asked, by address. Throws where there is nobody of it. */
export async function personAt(
  { ask }: { ask: Pick<Engine['ask'], 'peopleNamed'> },
  address: string,
): Promise<Asked> {
  const [found] = (await ask.peopleNamed(undefined, [address])) ?? [];
  if (found) return found;
  throw new AppError(
    'nobody',
    422,
    'Nobody in the organisation has this address, or their account is closed.',
  );
}
