import type { DataType } from '../types.ts';
import { mod97of } from './checks.ts';

/**
 * Structure of the BBAN by country, as in the IBAN registry (ISO 13616-2; SWIFT): runs of n
 * digits, a upper-case letters, c letters or digits. Written from memory and checked in
 * tests/reference/ against a published library.
 */
const STRUCTURES: Record<string, string> = {
  AD: '8n12c',
  AE: '19n',
  AL: '8n16c',
  AT: '16n',
  AZ: '4a20c',
  BA: '16n',
  BE: '12n',
  BG: '4a6n8c',
  BH: '4a14c',
  BI: '23n',
  BR: '23n1a1c',
  BY: '4c4n16c',
  CH: '5n12c',
  CR: '18n',
  CY: '8n16c',
  CZ: '20n',
  DE: '18n',
  DJ: '23n',
  DK: '14n',
  DO: '4c20n',
  EE: '16n',
  EG: '25n',
  ES: '20n',
  FI: '14n',
  FK: '2a12n',
  FO: '14n',
  FR: '10n11c2n',
  GB: '4a14n',
  GE: '2a16n',
  GI: '4a15c',
  GL: '14n',
  GR: '7n16c',
  GT: '24c',
  HN: '4a20n',
  HR: '17n',
  HU: '24n',
  IE: '4a14n',
  IL: '19n',
  IQ: '4a15n',
  IS: '22n',
  IT: '1a10n12c',
  JO: '4a4n18c',
  KW: '4a22c',
  KZ: '3n13c',
  LB: '4n20c',
  LC: '4a24c',
  LI: '5n12c',
  LT: '16n',
  LU: '3n13c',
  LV: '4a13c',
  LY: '21n',
  MC: '10n11c2n',
  MD: '2c18c',
  ME: '18n',
  MK: '3n10c2n',
  MN: '16n',
  MR: '23n',
  MT: '4a5n18c',
  MU: '4a19n3a',
  NI: '4a20n',
  NL: '4a10n',
  NO: '11n',
  OM: '3n16c',
  PK: '4a16c',
  PL: '24n',
  PS: '4a21c',
  PT: '21n',
  QA: '4a21c',
  RO: '4a16c',
  RS: '18n',
  RU: '14n15c',
  SA: '2n18c',
  SC: '4a20n3a',
  SD: '14n',
  SE: '20n',
  SI: '15n',
  SK: '20n',
  SM: '1a10n12c',
  SO: '19n',
  ST: '21n',
  SV: '4a20n',
  TL: '19n',
  TN: '20n',
  TR: '6n16c',
  UA: '6n19c',
  VA: '18n',
  VG: '4a16n',
  XK: '16n',
  YE: '4a4n18c',
};

const CLASS: Record<string, string> = { n: '\\d', a: '[A-Z]', c: '[A-Z0-9]' };

export const IBAN_FORMATS: ReadonlyMap<string, { length: number; bban: RegExp }> = new Map(
  Object.entries(STRUCTURES).map(([country, structure]) => {
    let length = 4;
    const bban = structure.replace(/(\d+)([nac])/g, (_, count: string, kind: string) => {
      length += Number(count);
      return `${CLASS[kind]}{${count}}`;
    });
    return [country, { length, bban: new RegExp(`^${bban}$`) }];
  }),
);

/** ISO/IEC 7064 MOD 97-10 over the whole IBAN: the first four characters moved to the end. */
export const mod97 = (iban: string): number => mod97of(iban.slice(4) + iban.slice(0, 4));

export const iban: DataType = {
  id: 'iban',
  name: 'Bank account (IBAN)',
  weight: 2,
  source: 'ISO 13616-1:2020 and the IBAN registry',
  start: { shapes: [/[A-Za-z]{2}\d{2}[ A-Za-z0-9-]/y] },
  longest: 68,
  patterns: [/[A-Za-z]{2}\d{2}(?:[ \u00a0-]?[A-Za-z0-9]){11,30}/y],
  judge(candidate) {
    const country = candidate.slice(0, 2).toUpperCase();
    const format = IBAN_FORMATS.get(country);
    if (!format) return undefined;
    let taken = 0;
    let length = 0;
    while (length < candidate.length && taken < format.length)
      if (/[A-Za-z0-9]/.test(candidate[length++]!)) taken++;
    if (taken < format.length) return undefined;
    const written = candidate.slice(0, length);
    const normalised = written.replace(/[^A-Za-z0-9]/g, '').toUpperCase();
    const checked = Number(normalised.slice(2, 4));
    if (!format.bban.test(normalised.slice(4)) || checked < 2 || checked > 98 || mod97(normalised) !== 1)
      return undefined;
    const reasons = [
      { why: `length and form of ${country}`, points: 35 },
      { why: 'the check digits are right (mod 97)', points: 40 },
    ];
    if (/^\S{4}(?:[ \u00a0]\S{4}){2,7}(?:[ \u00a0]\S{1,4})?$/.test(written))
      reasons.push({ why: 'it is grouped in fours', points: 10 });
    if (/[a-z]/.test(written)) reasons.push({ why: 'it is not in capitals', points: -15 });
    return { normalised, masked: `${country}•• … ${normalised.slice(-4)}`, reasons, length };
  },
  context: {
    en: [
      'iban',
      'account',
      'account no',
      'account number',
      'bank',
      'bank account',
      'bic',
      'swift',
      'payee',
      'beneficiary',
      'payroll',
      'salary',
      'sepa',
      'transfer',
    ],
    no: ['konto', 'kontonummer', 'bankkonto', 'lønn', 'mottaker'],
    nl: ['rekening', 'rekeningnummer', 'bankrekening', 'salaris', 'begunstigde'],
    et: ['konto', 'kontonumber', 'arvelduskonto', 'pank', 'palk', 'saaja'],
    de: ['konto', 'kontonummer', 'bankverbindung', 'gehalt'],
    fr: ['compte', 'compte bancaire', 'banque', 'virement'],
    es: ['cuenta', 'cuenta bancaria', 'banco'],
  },
  otherwise: ['part no', 'part number', 'serial number', 'licence key', 'license key', 'vat'],
  // the registry's own examples, and the ones that textbooks use
  examples: new Set([
    'GB29NWBK60161331926819',
    'GB82WEST12345698765432',
    'GB33BUKB20201555555555',
    'DE89370400440532013000',
    'DE75512108001245126199',
    'FR1420041010050500013M02606',
    'FR7630006000011234567890189',
    'NO9386011117947',
    'NL91ABNA0417164300',
    'EE382200221020145685',
    'ES9121000418450200051332',
    'IT60X0542811101000000123456',
    'SE4550000000058398257466',
    'DK5000400440116243',
    'FI2112345600000785',
    'BE68539007547034',
    'CH9300762011623852957',
    'AT611904300234573201',
    'IE29AIBK93115212345678',
    'PL61109010140000071219812874',
    'PT50000201231234567890154',
    'GR1601101250000000012300695',
    'CZ6508000000192000145399',
    'LT121000011101001000',
    'LV80BANK0000435195001',
    'LU280019400644750000',
    'SK3112000000198742637541',
    'HU42117730161111101800000000',
  ]),
};
