import type { DataType } from '../types.ts';
import { paymentCard } from './card.ts';
import { CONTACT } from './contact.ts';
import { HEALTH } from './health.ts';
import { iban } from './iban.ts';
import { MONEY } from './money.ts';
import { PEOPLE } from './people.ts';
import { privateKey } from './private-key.ts';
import { SECRETS } from './secrets.ts';

/** Every data type that ships, in the order in which findings list them. */
export const DATA_TYPES: readonly DataType[] = [
  privateKey,
  ...SECRETS,
  paymentCard,
  iban,
  ...PEOPLE,
  ...HEALTH,
  ...MONEY,
  ...CONTACT,
];

const byId = new Map(DATA_TYPES.map((t) => [t.id, t]));
/** The data type of an id, where there is one. */
export const dataType = (id: string): DataType | undefined => byId.get(id);
