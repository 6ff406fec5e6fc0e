import type { DataType } from '../types.ts';
import { luhn } from './checks.ts';

/**
 * Issuer ranges: first and last prefix, and the lengths issued. ISO/IEC 7812-1 gives the form of
 * the number (up to 19 digits, major industry first, check digit last); the ranges are the
 * networks' own published ones, as commonly tabulated (common practice).
 */
const ISSUERS: readonly [name: string, first: string, last: string, lengths: readonly number[]][] = [
  ['American Express', '34', '34', [15]],
  ['American Express', '37', '37', [15]],
  ['Diners Club', '300', '305', [14, 16, 17, 18, 19]],
  ['Diners Club', '3095', '3095', [14, 16, 17, 18, 19]],
  ['Diners Club', '36', '36', [14, 15, 16, 17, 18, 19]],
  ['Diners Club', '38', '39', [14, 16, 17, 18, 19]],
  ['JCB', '3528', '3589', [16, 17, 18, 19]],
  ['Mir', '2200', '2204', [16, 17, 18, 19]],
  ['Mastercard', '2221', '2720', [16]],
  ['Mastercard', '51', '55', [16]],
  ['Maestro', '5018', '5018', [12, 13, 14, 15, 16, 17, 18, 19]],
  ['Maestro', '5020', '5020', [12, 13, 14, 15, 16, 17, 18, 19]],
  ['Maestro', '5038', '5038', [12, 13, 14, 15, 16, 17, 18, 19]],
  ['Maestro', '56', '58', [12, 13, 14, 15, 16, 17, 18, 19]],
  ['Maestro', '6304', '6304', [12, 13, 14, 15, 16, 17, 18, 19]],
  ['Maestro', '6759', '6759', [12, 13, 14, 15, 16, 17, 18, 19]],
  ['Maestro', '6761', '6763', [12, 13, 14, 15, 16, 17, 18, 19]],
  ['Discover', '6011', '6011', [16, 17, 18, 19]],
  ['Discover', '644', '649', [16, 17, 18, 19]],
  ['Discover', '65', '65', [16, 17, 18, 19]],
  ['UnionPay', '62', '62', [16, 17, 18, 19]],
  ['UnionPay', '81', '81', [16, 17, 18, 19]],
  ['Dankort', '5019', '5019', [16]],
  ['Troy', '9792', '9792', [16]],
  ['Visa', '4', '4', [13, 16, 18, 19]],
];

/** The network that issues numbers of this prefix and length, or undefined. */
export function cardIssuer(digits: string): string | undefined {
  for (const [name, first, last, lengths] of ISSUERS) {
    const prefix = digits.slice(0, first.length);
    if (prefix >= first && prefix <= last && lengths.includes(digits.length)) return name;
  }
  return undefined;
}

const SEPARATOR = '[ \\-.\\u00a0\\u202f]';
const groups = (first: number, ...rest: number[]): RegExp =>
  new RegExp(`\\d{${first}}(${SEPARATOR})${rest.map((n) => `\\d{${n}}`).join('\\1')}(?!\\d)`, 'y');

export const paymentCard: DataType = {
  id: 'payment-card',
  name: 'Payment card number',
  weight: 3,
  source: 'ISO/IEC 7812-1:2017',
  start: { shapes: true },
  longest: 23,
  patterns: [
    /\d{12,19}(?!\d)/y,
    groups(4, 4, 4, 4),
    groups(4, 6, 5),
    groups(4, 6, 4),
    groups(4, 4, 4, 4, 3),
    groups(4, 4, 5),
    groups(4, 4, 4),
    groups(6, 13),
  ],
  judge(candidate) {
    const digits = candidate.replace(/\D/g, '');
    if (!luhn(digits)) return undefined;
    const issuer = cardIssuer(digits);
    if (!issuer) return undefined;
    const reasons = [
      { why: `${digits.length} digits`, points: 15 },
      { why: 'the check digit is right', points: 30 },
      { why: `it is in a range of ${issuer}`, points: 20 },
    ];
    if (candidate.length > digits.length) reasons.push({ why: 'it is grouped as on a card', points: 10 });
    return { normalised: digits, masked: `•••• ${digits.slice(-4)}`, reasons };
  },
  context: {
    en: [
      'card',
      'cards',
      'credit card',
      'debit card',
      'card number',
      'card no',
      'cardholder',
      'pan',
      'visa',
      'mastercard',
      'amex',
      'american express',
      'maestro',
      'expiry',
      'expires',
      'exp',
      'valid thru',
      'cvv',
      'cvc',
      'cvv2',
      'chargeback',
      'disputed',
    ],
    no: ['kort', 'kortnummer', 'betalingskort', 'kredittkort', 'utløper'],
    nl: ['kaart', 'kaartnummer', 'betaalkaart', 'vervaldatum'],
    et: ['kaart', 'kaardi', 'kaardinumber', 'pangakaart', 'krediitkaart'],
    de: ['karte', 'kartennummer', 'kreditkarte'],
    fr: ['carte', 'carte bancaire', 'numéro de carte'],
    es: ['tarjeta', 'número de tarjeta'],
  },
  otherwise: [
    'order',
    'order no',
    'order number',
    'invoice',
    'tracking',
    'parcel',
    'serial',
    'serial number',
    'part no',
    'part number',
    'isbn',
    'ean',
    'gtin',
    'imei',
    'barcode',
    'student',
    'student number',
    'ticket',
    'reference',
    'ref',
    'timestamp',
    'ordrenummer',
    'bestelnummer',
    'tellimus',
  ],
  // test numbers that payment processors publish (common practice)
  examples: new Set([
    '4111111111111111',
    '4242424242424242',
    '4012888888881881',
    '4000056655665556',
    '4222222222222',
    '5555555555554444',
    '5105105105105100',
    '2223003122003222',
    '5200828282828210',
    '378282246310005',
    '371449635398431',
    '378734493671000',
    '6011111111111117',
    '6011000990139424',
    '30569309025904',
    '38520000023237',
    '36227206271667',
    '3530111333300000',
    '3566002020360505',
    '6200000000000005',
  ]),
};
