/** Accounts, banks, securities and companies. */
import { COUNTRIES, digit, luhn, mod11_10, mod97of, spelledOut, weighted } from './checks.ts';
import { CHECK_DIGIT, CHECK_DIGITS, holds, NO_CHECK, scheme } from './scheme.ts';

const bic = scheme({
  id: 'bic',
  name: 'Bank identifier (BIC)',
  weight: 1,
  source: 'ISO 9362:2022',
  shapes: [['[A-Z]{6}[A-Z0-9]{2}(?:[A-Z0-9]{3})?', 20, 'eight or eleven characters']],
  check: (n) => holds(COUNTRIES.has(n.slice(4, 6)), `the country ${n.slice(4, 6)} is in its place`, 10),
  context: { en: ['bic', 'swift', 'swift code', 'swift/bic', 'bank', 'iban'], de: ['bankleitzahl'], fr: ['banque'] },
  needsContext: true,
  contextPoints: 40,
}); // prettier-ignore

const abaRouting = scheme({
  id: 'us-aba-routing',
  name: 'Bank routing number (US)',
  weight: 1,
  country: 'US',
  source: 'ANSI X9; ABA routing number policy (check from memory)',
  shapes: [
    ['\\d{9}', 10, 'nine digits'],
    ['\\d{4}-\\d{4}-\\d', 20, 'nine digits, grouped as on a cheque'],
  ],
  check(n) {
    const first = Number(n.slice(0, 2));
    const known = first <= 12 || (first >= 21 && first <= 32) || (first >= 61 && first <= 72) || first === 80;
    if (!known || n === '000000000' || weighted(n, [3, 7, 1, 3, 7, 1, 3, 7, 1]) % 10 !== 0) return undefined;
    return [
      { why: CHECK_DIGIT, points: 15 },
      { why: 'it begins with the number of a reserve bank district', points: 5 },
    ];
  },
  context: { en: ['routing', 'routing number', 'aba', 'rtn', 'ach', 'wire', 'bank', 'transit number'] },
  contextPoints: 35,
  examples: ['123456780', '011000015'],
});

const CUSIP = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ*@#';
/** ANSI X9.6: every second value doubled, the sum of all their digits. */
export function cusipHolds(n: string): boolean {
  let sum = 0;
  for (let i = 0; i < 8; i++) {
    const v = CUSIP.indexOf(n[i]!) * (i % 2 ? 2 : 1);
    sum += Math.floor(v / 10) + (v % 10);
  }
  return (10 - (sum % 10)) % 10 === digit(n, 8);
}
const cusip = scheme({
  id: 'cusip',
  name: 'Security number (CUSIP)',
  weight: 1,
  country: 'US',
  source: 'ANSI X9.6',
  shapes: [['\\d{3}[0-9A-Z]{5}\\d', 10, 'nine digits and letters']],
  check(n) {
    if (!cusipHolds(n)) return undefined;
    return [{ why: CHECK_DIGIT, points: /[A-Z]/.test(n) ? 25 : 15 }];
  },
  context: { en: ['cusip', 'security', 'securities', 'bond', 'issuer'] },
  contextPoints: 35,
});

const isin = scheme({
  id: 'isin',
  name: 'Security number (ISIN)',
  weight: 1,
  source: 'ISO 6166:2021',
  shapes: [['[A-Z]{2}[A-Z0-9]{9}\\d', 20, 'twelve characters']],
  check(n) {
    const country = n.slice(0, 2);
    if (!(COUNTRIES.has(country) || /^(?:XS|EU|XA|XB|XC|XD|XF|EZ)$/.test(country))) return undefined;
    return holds(luhn(spelledOut(n)), `${CHECK_DIGIT}, and ${country} is a country`, 35);
  },
  context: { en: ['isin', 'security', 'securities', 'bond', 'share', 'fund'], de: ['wertpapier'] },
});

const lei = scheme({
  id: 'lei',
  name: 'Legal entity (LEI)',
  weight: 1,
  source: 'ISO 17442-1:2020, ISO/IEC 7064 MOD 97-10',
  shapes: [['[A-Z0-9]{18}\\d{2}', 25, 'twenty characters']],
  check: (n) => holds(/[A-Z]/.test(n) && mod97of(n) === 1, `${CHECK_DIGITS} (mod 97)`, 40),
  context: { en: ['lei', 'legal entity identifier', 'legal entity'] },
  shows: 4,
}); // prettier-ignore

const ukAccount = scheme({
  id: 'gb-bank-account',
  name: 'Bank account (UK sort code and number)',
  weight: 2,
  country: 'GB',
  source: 'common practice',
  looks: [/\d{2}-\d{2}-\d{2}/, /\d{2} \d{2} \d{2}/, /\d{6}[ ,;|/]/],
  shapes: [
    ['\\d{2}-\\d{2}-\\d{2}(?:[ ,;/|]{1,3}|[ ,;]{0,2}(?:account|acct|a/c|acc)(?: number| no\\.?| num)?[: ]{1,3})\\d{8}', 40, 'a sort code with hyphens, and eight digits'],
    ['\\d{2} \\d{2} \\d{2}[ ,;/|]{1,3}\\d{8}', 25, 'a sort code and eight digits'],
    ['\\d{6}[ ,;/|]{1,3}\\d{8}', 10, 'six digits and eight'],
  ],
  normalise: (w) => w.replace(/\D/g, ''),
  check: () => NO_CHECK,
  context: { en: ['sort code', 'sortcode', 'account', 'account number', 'account no', 'bank', 'bacs', 'payee', 'faster payment'] },
  contextPoints: 30,
  anyCase: true,
}); // prettier-ignore

const IRISH = 'WABCDEFGHIJKLMNOPQRSTUV';
/** Letter of an Irish number of seven digits, with the letter after it where there is one. */
export const irishLetter = (n: string): string =>
  IRISH[(weighted(n, [8, 7, 6, 5, 4, 3, 2]) + 9 * (n[8] && n[8] !== 'W' ? n.charCodeAt(8) - 64 : 0)) % 23]!;
export const SPANISH = 'TRWAGMYFPDXBNJZSQVHLCKE';

/** The number of a Spanish company: its last digit, or letter, by its first letter. */
export function cifHolds(n: string): boolean {
  if (!/^[A-HJ-NP-SUVW]\d{7}[0-9A-J]$/.test(n)) return false;
  let sum = 0;
  for (let i = 1; i <= 7; i++) {
    const d = digit(n, i) * (i % 2 ? 2 : 1);
    sum += Math.floor(d / 10) + (d % 10);
  }
  const check = (10 - (sum % 10)) % 10;
  const letter = 'JABCDEFGHI'[check];
  if (/[NPQRSW]/.test(n[0]!)) return n[8] === letter;
  if (/[ABEH]/.test(n[0]!)) return n[8] === String(check);
  return n[8] === letter || n[8] === String(check);
}
export const spanishHolds = (n: string): boolean => {
  if (/^\d{8}[A-Z]$/.test(n)) return SPANISH[Number(n.slice(0, 8)) % 23] === n[8];
  if (/^[XYZ]\d{7}[A-Z]$/.test(n)) return SPANISH[Number('XYZ'.indexOf(n[0]!) + n.slice(1, 8)) % 23] === n[8];
  if (/^[KLM]\d{7}[A-Z]$/.test(n)) return SPANISH[Number(n.slice(1, 8)) % 23] === n[8];
  return cifHolds(n);
};
export const elevenProof = (n: string): boolean =>
  weighted(n, [9, 8, 7, 6, 5, 4, 3, 2, -1]) % 11 === 0 && n !== '000000000';
const twoOf = (n: string, at: number): number => Number(n.slice(at, at + 2));

/**
 * The member states' own checks (Council Directive 2006/112/EC art. 215 for the prefixes; the checks
 * from memory, compared with stdnum in tests/reference): digits without the prefix.
 */
const VAT: Record<string, ((n: string) => boolean) | undefined> = {
  AT: (n) => {
    let sum = 4;
    for (let i = 0; i < 7; i++) {
      const d = digit(n, i + 1) * (i % 2 ? 2 : 1);
      sum += Math.floor(d / 10) + (d % 10);
    }
    return (10 - (sum % 10)) % 10 === digit(n, 8);
  },
  BE: (n) => 97 - (Number(n.slice(0, 8)) % 97) === twoOf(n, 8),
  DE: (n) => n[0] !== '0' && mod11_10(n),
  DK: (n) => n[0] !== '0' && weighted(n, [2, 7, 6, 5, 4, 3, 2, 1]) % 11 === 0,
  EE: (n) => weighted(n, [3, 7, 1, 3, 7, 1, 3, 7, 1]) % 10 === 0,
  EL: (n) => (weighted(n, [256, 128, 64, 32, 16, 8, 4, 2]) % 11) % 10 === digit(n, 8),
  ES: (n) => spanishHolds(n),
  FI: (n) => weighted(n, [7, 9, 10, 5, 8, 4, 2, 1]) % 11 === 0,
  FR: (n) => {
    const siren = n.slice(2);
    if (!luhn(siren)) return siren.startsWith('356000000');
    return !/^\d\d/.test(n) || (12 + 3 * (Number(siren) % 97)) % 97 === twoOf(n, 0);
  },
  HR: mod11_10,
  HU: (n) => weighted(n, [9, 7, 3, 1, 9, 7, 3, 1]) % 10 === 0,
  IE: (n) => /^\d{7}/.test(n) && n[7] === irishLetter(n),
  IT: (n) => luhn(n) && n.slice(0, 7) !== '0000000',
  LU: (n) => Number(n.slice(0, 6)) % 89 === twoOf(n, 6),
  NL: (n) => elevenProof(n.slice(0, 9)) || mod97of(`NL${n}`) === 1,
  PL: (n) => weighted(n, [6, 5, 7, 2, 3, 4, 5, 6, 7]) % 11 === digit(n, 9),
  PT: (n) => n[0] !== '0' && portugueseHolds(n),
  SE: (n) => luhn(n.slice(0, 10)) && twoOf(n, 10) >= 1 && twoOf(n, 10) <= 94,
  SI: (n) => {
    const r = 11 - (weighted(n, [8, 7, 6, 5, 4, 3, 2]) % 11);
    return n[0] !== '0' && r !== 11 && r % 10 === digit(n, 7);
  },
  SK: (n) => n[0] !== '0' && Number(n) % 11 === 0,
};
export const portugueseHolds = (n: string): boolean => {
  const r = 11 - (weighted(n, [9, 8, 7, 6, 5, 4, 3, 2]) % 11);
  return (r > 9 ? 0 : r) === digit(n, 8);
};
const VAT_FORMS: Record<string, string> = {
  AT: 'U\\d{8}', BE: '[01]\\d{9}', BG: '\\d{9,10}', CY: '\\d{8}[A-Z]', CZ: '\\d{8,10}', DE: '\\d{9}', DK: '\\d{8}',
  EE: '\\d{9}', EL: '\\d{9}', ES: '[A-Z0-9]\\d{7}[A-Z0-9]', FI: '\\d{8}', FR: '[A-HJ-NP-Z0-9]{2}\\d{9}', HR: '\\d{11}',
  HU: '\\d{8}', IE: '\\d[A-Z0-9]\\d{5}[A-Z]{1,2}', IT: '\\d{11}', LT: '(?:\\d{9}|\\d{12})', LU: '\\d{8}', LV: '\\d{11}',
  MT: '\\d{8}', NL: '\\d{9}B\\d{2}', PL: '\\d{10}', PT: '\\d{9}', RO: '\\d{6,10}', SE: '\\d{12}', SI: '\\d{8}', SK: '\\d{10}',
}; // prettier-ignore
const vatForms = new Map(Object.entries(VAT_FORMS).map(([c, form]) => [c, new RegExp(`^${form}$`)]));

const VAT_WORDS = {
  en: ['vat', 'vat no', 'vat number', 'vat id', 'vat reg', 'tax id', 'tax number'],
  de: ['ust-idnr', 'umsatzsteuer', 'ust', 'uid'],
  fr: ['tva', 'numéro de tva'],
  nl: ['btw', 'btw-nummer'],
  es: ['nif', 'cif', 'iva'],
  it: ['partita iva', 'p.iva', 'iva'],
  et: ['kmkr', 'käibemaks'],
  sv: ['momsnummer', 'moms'],
  no: ['mva', 'org.nr', 'orgnr', 'organisasjonsnummer'],
  pl: ['nip'],
};
const euVat = scheme({
  id: 'eu-vat',
  name: 'VAT number (EU)',
  weight: 1,
  source: 'Council Directive 2006/112/EC art. 215; the member states’ own checks',
  shapes: [
    ['[A-Z]{2}[A-Z0-9]{8,12}', 20, 'a member state and its form'],
    ['[A-Z]{2} [A-Z0-9](?:[ .]?[A-Z0-9]){7,11}', 15, 'a member state and its form, with spaces'],
  ],
  check(n) {
    const country = n.slice(0, 2);
    const number = n.slice(2);
    if (!vatForms.get(country)?.test(number)) return undefined;
    const own = VAT[country];
    if (!own) return [{ why: `the form of ${country}, which is not checked further`, points: 10 }];
    return holds(own(number), `${CHECK_DIGITS} for ${country}`, 30);
  },
  context: VAT_WORDS,
  contextPoints: 25,
});

const gbVat = scheme({
  id: 'gb-vat',
  name: 'VAT number (UK)',
  weight: 1,
  country: 'GB',
  source: 'HMRC, VAT registration numbers (check from memory)',
  shapes: [['GB ?\\d{3} ?\\d{4} ?\\d{2}(?: ?\\d{3})?', 25, 'GB and nine or twelve digits']],
  check(n) {
    const sum = weighted(n.slice(2), [8, 7, 6, 5, 4, 3, 2]) + twoOf(n, 9);
    // the second method is for numbers from 100 000 000 on
    return holds(sum % 97 === 0 || (n[2] !== '0' && (sum + 55) % 97 === 0), `${CHECK_DIGITS} (mod 97)`, 35);
  },
  context: VAT_WORDS,
});

export const norwegianOrg = (n: string): boolean => {
  const r = 11 - (weighted(n, [3, 2, 7, 6, 5, 4, 3, 2]) % 11);
  return r !== 10 && r % 11 === digit(n, 8);
};
const noVat = scheme({
  id: 'no-vat',
  name: 'VAT and company number (Norway)',
  weight: 1,
  country: 'NO',
  source: 'Brønnøysund Register Centre, organisasjonsnummer',
  looks: [/[A-Z]{2} ?\d{3} ?\d{3}/, /\d{3} ?\d{3} ?\d{3}/],
  shapes: [
    ['(?:NO ?)?\\d{3} ?\\d{3} ?\\d{3} ?MVA', 35, 'nine digits and MVA'],
    ['[89]\\d{2} ?\\d{3} ?\\d{3}', 10, 'nine digits, beginning with 8 or 9'],
  ],
  normalise: (w) => w.replace(/\D/g, ''),
  check: (n) => holds(norwegianOrg(n), `${CHECK_DIGIT} (mod 11)`, 20),
  context: VAT_WORDS,
  contextPoints: 25,
}); // prettier-ignore

export const MONEY = [ukAccount, bic, abaRouting, cusip, isin, lei, euVat, gbVat, noVat];
