import type { DataType } from '../types.ts';
import { iban } from './iban.ts';
import { paymentCard } from './card.ts';
import { privateKey } from './private-key.ts';

/** Every data type that ships, in the order in which findings list them. */
export const DATA_TYPES: readonly DataType[] = [privateKey, paymentCard, iban];
