/** An event for tests and benches: what is not given is empty. */
import { NO_FACTS, type Happened } from '../src/core/guard/events.ts';

export const madeEvent = (given: Partial<Happened>): Happened => ({
  id: '',
  source: 's',
  type: 'file.shared',
  time: 0,
  actor: '',
  item: '',
  space: '',
  target: '',
  outside: false,
  role: '',
  detail: '',
  device: '',
  address: '',
  weight: 0,
  ...NO_FACTS,
  ...given,
});
