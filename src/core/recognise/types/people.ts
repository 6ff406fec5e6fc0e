/** People by number. The checks are from memory unless said, and compared with stdnum in tests/reference. */
import type { Reason } from '../types.ts';
import { dateIn, digit, isDate, luhn, mod11_10, verhoeff, weighted } from './checks.ts';
import { elevenProof, irishLetter, portugueseHolds, spanishHolds } from './money.ts';
import { CHECK_DIGIT, CHECK_DIGITS, holds, NO_CHECK, scheme } from './scheme.ts';

const both = (
  date: boolean,
  check: boolean,
  points: number,
  why = CHECK_DIGIT,
): readonly Reason[] | undefined =>
  date && check
    ? [
        { why: 'it holds a day that there is', points: 10 },
        { why, points },
      ]
    : undefined;

// ---- United States ----------------------------------------------------------------------------

/** Issued area, group and serial; areas are random since 25 June 2011 (SSA, POMS RM 10201.035). */
export const ssnHolds = (n: string): boolean =>
  !/^(?:000|666|9)/.test(n) && n.slice(3, 5) !== '00' && n.slice(5) !== '0000';
const ssn = scheme({
  id: 'us-ssn', name: 'Social security number (US)', weight: 3, country: 'US',
  source: 'SSA, POMS RM 10201.035 and “Social Security Number Randomization”',
  shapes: [
    ['\\d{3}-\\d{2}-\\d{4}', 40, 'nine digits, grouped 3-2-4'],
    ['\\d{3} \\d{2} \\d{4}', 30, 'nine digits, grouped 3 2 4'],
    ['\\d{9}', 5, 'nine digits'],
  ],
  check: (n) => holds(ssnHolds(n), 'area, group and serial are ones that are issued', 10),
  context: { en: ['ssn', 'social security', 'social security number', 'social security no', 'soc sec', 'w-2', 'w-4', 'i-9', 'payroll', 'dob'], es: ['seguro social'] },
  contextPoints: 30, shows: 4,
  examples: ['078051120', '219099999', '123456789', '457555462', '111111111', '123121234'],
}); // prettier-ignore
const itin = scheme({
  id: 'us-itin', name: 'Individual taxpayer number (US)', weight: 3, country: 'US',
  source: 'IRS, Internal Revenue Manual 3.21.263',
  shapes: [
    ['9\\d{2}-\\d{2}-\\d{4}', 40, 'nine digits from 9 on, grouped 3-2-4'],
    ['9\\d{8}', 5, 'nine digits from 9 on'],
  ],
  check(n) {
    const group = Number(n.slice(3, 5));
    const issued = (group >= 50 && group <= 65) || (group >= 70 && group <= 88) || (group >= 90 && group <= 99 && group !== 93);
    return holds(issued, 'its group is one that is issued', 10);
  },
  context: { en: ['itin', 'taxpayer', 'taxpayer identification', 'individual taxpayer', 'tax id', 'w-7', 'irs'] },
  contextPoints: 30, shows: 4,
}); // prettier-ignore
const usPassport = scheme({
  id: 'us-passport', name: 'Passport number (US)', weight: 3, country: 'US', source: 'common practice',
  shapes: [['[A-Z]\\d{8}', 20, 'a letter and eight digits'], ['\\d{9}', 10, 'nine digits']],
  check: () => NO_CHECK,
  context: { en: ['passport', 'passport no', 'passport number', 'us passport', 'passport #'] },
  needsContext: true, contextPoints: 40,
}); // prettier-ignore
const usLicence = scheme({
  id: 'us-driving-licence', name: 'Driving licence (US)', weight: 3, country: 'US',
  source: 'the states’ own forms (common practice)',
  shapes: [
    ['[A-Z]{1,2}\\d{6,13}', 20, 'a letter or two and digits'],
    ['[A-Z]\\d{3}-\\d{4}-\\d{4}', 25, 'grouped as Illinois has it'],
    ['\\d{7,9}', 10, 'seven to nine digits'],
  ],
  check: () => NO_CHECK,
  context: { en: ['driver license', 'drivers license', 'driver’s license', "driver's license", 'driving license', 'license number', 'license no', 'dl no', 'dl number', 'dln', 'dmv'] },
  needsContext: true, contextPoints: 40,
}); // prettier-ignore

// ---- United Kingdom and Ireland ---------------------------------------------------------------

const nino = scheme({
  id: 'gb-nino', name: 'National Insurance number (UK)', weight: 3, country: 'GB',
  source: 'HMRC, National Insurance Manual NIM39110',
  shapes: [
    ['[A-Z]{2} \\d{2} \\d{2} \\d{2} [A-D]', 60, 'two letters, six digits and a letter, grouped as printed'],
    ['[A-Z]{2} ?\\d{6} ?[A-D]', 45, 'two letters, six digits and a letter'],
  ],
  check: (n) =>
    holds(
      /^[ABCEGHJ-PRSTW-Z][ABCEGHJ-NPRSTW-Z]/.test(n) && !/^(?:BG|GB|KN|NK|NT|TN|ZZ)/.test(n),
      `the prefix ${n.slice(0, 2)} is one that is given`, 10,
    ),
  context: { en: ['national insurance', 'ni number', 'ni no', 'nino', 'nin', 'p45', 'p60', 'payroll', 'hmrc'] },
  contextPoints: 25, examples: ['QQ123456C', 'QQ123456A', 'AB123456C'],
}); // prettier-ignore
export const nhsHolds = (n: string): boolean => {
  const r = 11 - (weighted(n, [10, 9, 8, 7, 6, 5, 4, 3, 2]) % 11);
  return r !== 10 && r % 11 === digit(n, 9);
};
const nhs = scheme({
  id: 'gb-nhs', name: 'NHS number (UK)', weight: 3, country: 'GB',
  source: 'NHS Data Dictionary, NHS NUMBER (modulus 11)',
  shapes: [
    ['\\d{3} \\d{3} \\d{4}', 20, 'ten digits, grouped 3 3 4'],
    ['\\d{3}-\\d{3}-\\d{4}', 15, 'ten digits, grouped 3-3-4'],
    ['\\d{10}', 10, 'ten digits'],
  ],
  check: (n) => holds(nhsHolds(n), `${CHECK_DIGIT} (mod 11)`, 20),
  context: { en: ['nhs', 'nhs number', 'nhs no', 'patient', 'gp', 'hospital', 'ward', 'clinic'] },
  contextPoints: 35, shows: 4, examples: ['9434765919', '4505577104', '9000000009'],
}); // prettier-ignore
const gbLicence = scheme({
  id: 'gb-driving-licence', name: 'Driving licence (UK)', weight: 3, country: 'GB',
  source: 'DVLA, form of the driver number (from memory)',
  shapes: [['[A-Z][A-Z9]{4} ?\\d{6} ?[A-Z][A-Z9][A-Z0-9]{3}', 40, 'sixteen characters in their places']],
  check(n) {
    if (!/^[A-Z]+9*\d/.test(n)) return undefined;
    const month = Number(n.slice(6, 8));
    return holds(isDate(Number(n[5]! + n[10]!), month > 50 ? month - 50 : month, Number(n.slice(8, 10))), 'it holds a day that there is', 20);
  },
  context: { en: ['driving licence', 'driver number', 'licence no', 'licence number', 'dvla', 'driver licence'] },
}); // prettier-ignore
export const utrHolds = (n: string): boolean =>
  '21987654321'[weighted(n.slice(1), [6, 7, 8, 9, 10, 5, 4, 3, 2]) % 11] === n[0];
const utr = scheme({
  id: 'gb-utr', name: 'Unique taxpayer reference (UK)', weight: 3, country: 'GB', source: 'HMRC (check from memory)',
  shapes: [['\\d{5} \\d{5}', 15, 'ten digits in two groups'], ['\\d{10}K?', 10, 'ten digits']],
  normalise: (w) => w.replace(/\D/g, ''),
  check: (n) => holds(utrHolds(n), CHECK_DIGIT, 15),
  context: { en: ['utr', 'unique taxpayer reference', 'taxpayer reference', 'self assessment', 'hmrc', 'tax reference'] },
  contextPoints: 40, shows: 4,
}); // prettier-ignore
const pps = scheme({
  id: 'ie-pps', name: 'Personal public service number (Ireland)', weight: 3, country: 'IE',
  source: 'Department of Social Protection; Social Welfare Consolidation Act 2005 s. 262',
  shapes: [['\\d{7}[A-W][A-IW]?', 30, 'seven digits and one letter or two']],
  check: (n) => holds(n[7] === irishLetter(n), 'the check letter is right', 35),
  context: { en: ['pps', 'ppsn', 'pps number', 'pps no', 'personal public service', 'revenue'], ga: ['uimhir psp'] },
}); // prettier-ignore

// ---- Canada, Australia, New Zealand -----------------------------------------------------------

const sin = scheme({
  id: 'ca-sin', name: 'Social insurance number (Canada)', weight: 3, country: 'CA',
  source: 'Employment and Social Development Canada; Luhn',
  shapes: [['\\d{3} \\d{3} \\d{3}', 20, 'nine digits in threes'], ['\\d{3}-\\d{3}-\\d{3}', 25, 'nine digits in threes'], ['\\d{9}', 5, 'nine digits']],
  check: (n) => holds(!/^[08]/.test(n) && luhn(n), CHECK_DIGIT, 20),
  context: { en: ['sin', 'social insurance', 'social insurance number', 'sin number', 'canada revenue', 't4'], fr: ['nas', 'assurance sociale', 'numéro d’assurance sociale'] },
  contextPoints: 30, examples: ['046454286', '123456782', '130692544'],
}); // prettier-ignore
export const tfnHolds = (n: string): boolean =>
  n.length === 9
    ? weighted(n, [1, 4, 3, 7, 5, 8, 6, 9, 10]) % 11 === 0
    : weighted(n, [10, 7, 8, 4, 6, 3, 5, 1]) % 11 === 0;
const tfn = scheme({
  id: 'au-tfn', name: 'Tax file number (Australia)', weight: 3, country: 'AU', source: 'Australian Taxation Office',
  shapes: [['\\d{3} \\d{3} \\d{3}', 20, 'nine digits in threes'], ['\\d{2,3}-\\d{3}-\\d{3}', 20, 'eight or nine digits, grouped'], ['\\d{8,9}', 5, 'eight or nine digits']],
  check: (n) => holds(n !== '000000000' && tfnHolds(n), `${CHECK_DIGIT} (mod 11)`, 20),
  context: { en: ['tfn', 'tax file', 'tax file number', 'ato', 'superannuation'] },
  contextPoints: 35, examples: ['123456782'],
}); // prettier-ignore
export const medicareHolds = (n: string): boolean =>
  /^[2-6]/.test(n) && weighted(n, [1, 3, 7, 9, 1, 3, 7, 9]) % 10 === digit(n, 8) && n[9] !== '0';
const medicare = scheme({
  id: 'au-medicare', name: 'Medicare number (Australia)', weight: 3, country: 'AU', source: 'Services Australia (check from memory)',
  shapes: [['\\d{4}[ -]\\d{5}[ -]\\d(?:[ /-]?\\d)?', 30, 'grouped as on the card'], ['\\d{10,11}', 10, 'ten or eleven digits']],
  check: (n) => holds(medicareHolds(n), CHECK_DIGIT, 20),
  context: { en: ['medicare', 'medicare number', 'medicare card', 'medicare no', 'irn', 'patient'] },
  contextPoints: 30,
}); // prettier-ignore
export const abnHolds = (n: string): boolean =>
  (weighted(n, [10, 1, 3, 5, 7, 9, 11, 13, 15, 17, 19]) - 10) % 89 === 0 && n[0] !== '0';
const abn = scheme({
  id: 'au-abn', name: 'Business number (Australia)', weight: 1, country: 'AU', source: 'Australian Business Register, format of the ABN',
  shapes: [['\\d{2} \\d{3} \\d{3} \\d{3}', 25, 'eleven digits, grouped 2 3 3 3'], ['\\d{11}', 10, 'eleven digits']],
  check: (n) => holds(abnHolds(n), `${CHECK_DIGITS} (mod 89)`, 30),
  context: { en: ['abn', 'australian business number', 'business number'] },
  examples: ['51824753556', '53004085616'],
}); // prettier-ignore
/** Inland Revenue, Resident withholding tax specification: a second set of weights where the first says 10. */
export function irdHolds(n: string): boolean {
  const value = Number(n);
  if (value < 10_000_000 || value > 150_000_000) return false;
  const base = n.padStart(9, '0');
  for (const weights of [[3, 2, 7, 6, 5, 4, 3, 2], [7, 4, 3, 2, 5, 2, 7, 6]]) {
    const r = weighted(base, weights) % 11;
    const check = r === 0 ? 0 : 11 - r;
    if (check < 10) return check === digit(base, 8);
  }
  return false;
} // prettier-ignore
const ird = scheme({
  id: 'nz-ird', name: 'IRD number (New Zealand)', weight: 3, country: 'NZ', source: 'Inland Revenue, RWT specification (from memory)',
  shapes: [['\\d{2,3}-\\d{3}-\\d{3}', 25, 'eight or nine digits, grouped'], ['\\d{8,9}', 5, 'eight or nine digits']],
  check: (n) => holds(irdHolds(n), `${CHECK_DIGIT} (mod 11)`, 20),
  context: { en: ['ird', 'ird number', 'ird no', 'inland revenue', 'kiwisaver'] },
  contextPoints: 35,
}); // prettier-ignore

// ---- Europe -----------------------------------------------------------------------------------

const dni = scheme({
  id: 'es-dni', name: 'Identity number (Spain, DNI)', weight: 3, country: 'ES', source: 'Real Decreto 1553/2005; check letter (mod 23)',
  shapes: [['\\d{8}[- ]?[A-HJ-NP-TV-Z]', 30, 'eight digits and a letter']],
  check: (n) => holds(spanishHolds(n), 'the check letter is right', 30),
  context: { es: ['dni', 'nif', 'documento nacional', 'identidad'], en: ['identity', 'spanish id'] },
  examples: ['12345678Z', '00000000T'],
}); // prettier-ignore
const nie = scheme({
  id: 'es-nie', name: 'Foreigner’s number (Spain, NIE)', weight: 3, country: 'ES', source: 'Real Decreto 557/2011; check letter (mod 23)',
  shapes: [['[XYZ][- ]?\\d{7}[- ]?[A-HJ-NP-TV-Z]', 35, 'a letter, seven digits and a letter']],
  check: (n) => holds(spanishHolds(n), 'the check letter is right', 30),
  context: { es: ['nie', 'extranjero', 'identidad', 'residencia'], en: ['identity', 'foreigner'] },
}); // prettier-ignore
/** INSEE: 97 less the number’s remainder by 97; Corsica’s 2A and 2B count as 19 and 18. */
export const nirHolds = (n: string): boolean =>
  97 - Number(BigInt(n.slice(0, 13).replace('2A', '19').replace('2B', '18')) % 97n) === Number(n.slice(13));
const nir = scheme({
  id: 'fr-nir', name: 'Social security number (France, NIR)', weight: 3, country: 'FR', source: 'INSEE, numéro d’inscription au répertoire',
  shapes: [
    ['[12378] \\d{2} \\d{2} (?:\\d{2}|2[AB]) \\d{3} \\d{3} \\d{2}', 40, 'fifteen characters, grouped as printed'],
    ['[12378]\\d{4}(?:\\d{2}|2[AB])\\d{6} ?\\d{2}', 25, 'fifteen characters'],
  ],
  check: (n) => holds(nirHolds(n), `${CHECK_DIGITS} (mod 97)`, 40),
  context: { fr: ['sécurité sociale', 'securite sociale', 'numéro de sécurité', 'nir', 'insee', 'carte vitale', 'assuré', 'n° ss'], en: ['social security'] },
}); // prettier-ignore
/** Bundeszentralamt für Steuern: ISO/IEC 7064 MOD 11-10; one digit twice or three times among the first ten. */
export function steuerIdHolds(n: string): boolean {
  if (n[0] === '0' || !mod11_10(n)) return false;
  const counts = new Array<number>(10).fill(0);
  for (let i = 0; i < 10; i++) counts[digit(n, i)]!++;
  const more = counts.filter((c) => c > 1);
  return more.length === 1 && more[0]! <= 3;
}
const steuerId = scheme({
  id: 'de-tax-id', name: 'Tax number (Germany, IdNr)', weight: 3, country: 'DE', source: '§ 139b AO; ISO/IEC 7064 MOD 11-10',
  shapes: [['\\d{2} \\d{3} \\d{3} \\d{3}', 25, 'eleven digits, grouped 2 3 3 3'], ['\\d{11}', 10, 'eleven digits']],
  check: (n) => holds(steuerIdHolds(n), `${CHECK_DIGIT}, and the digits are spread as they must be`, 30),
  context: { de: ['steuer-id', 'steuer id', 'steuerid', 'idnr', 'steueridentifikationsnummer', 'identifikationsnummer', 'steuerliche', 'finanzamt', 'lohnsteuer'], en: ['tax id', 'german tax'] },
  contextPoints: 25, examples: ['86095742719', '02476291358'],
}); // prettier-ignore
const MRZ_VALUES = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ';
/** ICAO Doc 9303-3 §4.9: weights 7, 3, 1; A = 10 … Z = 35; < is 0. */
export function mrzDigit(field: string): number {
  let sum = 0;
  for (let i = 0; i < field.length; i++)
    sum += Math.max(0, MRZ_VALUES.indexOf(field[i]!)) * [7, 3, 1][i % 3]!;
  return sum % 10;
}
const personalausweis = scheme({
  id: 'de-identity-card', name: 'Identity card or passport (Germany)', weight: 3, country: 'DE', source: 'PAuswV and PassV; check digit of ICAO Doc 9303',
  shapes: [['[CFGHJKLMNPRTVWXYZ][0-9CFGHJKLMNPRTVWXYZ]{8}\\d(?:D(?:<{2})?)?', 20, 'ten characters without vowels']],
  normalise: (w) => w.slice(0, 10),
  check: (n) => holds(/\d/.test(n.slice(1, 9)) && mrzDigit(n.slice(0, 9)) === digit(n, 9), CHECK_DIGIT, 20),
  context: { de: ['personalausweis', 'ausweis', 'ausweisnummer', 'ausweis-nr', 'reisepass', 'passnummer', 'pass-nr'], en: ['identity card', 'passport'] },
  contextPoints: 35,
}); // prettier-ignore
const bsn = scheme({
  id: 'nl-bsn', name: 'Citizen service number (Netherlands, BSN)', weight: 3, country: 'NL', source: 'Wet algemene bepalingen burgerservicenummer; 11-proef',
  shapes: [['\\d{4}\\.\\d{2}\\.\\d{3}', 25, 'nine digits, grouped 4.2.3'], ['\\d{3} \\d{3} \\d{3}', 10, 'nine digits in threes'], ['\\d{8,9}', 5, 'eight or nine digits']],
  check: (n) => holds(elevenProof(n.padStart(9, '0')), 'it passes the eleven-test', 20),
  context: { nl: ['bsn', 'burgerservicenummer', 'sofinummer', 'sofi-nummer', 'sofi', 'persoonsnummer'], en: ['citizen service number', 'dutch id'] },
  contextPoints: 40, examples: ['123456782', '111222333', '999999990'],
}); // prettier-ignore
/** Rijksregister: 97 less the remainder of nine digits, a 2 before them for those born from 2000 on. */
export const belgianHolds = (n: string): boolean => {
  const check = Number(n.slice(9));
  // nobody is born after 2040 yet
  return [n.slice(0, 9), ...(Number(n.slice(0, 2)) < 40 ? [`2${n.slice(0, 9)}`] : [])].some(
    (x) => 97 - (Number(x) % 97) === check,
  );
};
const belgian = scheme({
  id: 'be-national-number', name: 'National number (Belgium)', weight: 3, country: 'BE', source: 'Koninklijk besluit van 3 april 1984; mod 97',
  shapes: [['\\d{2}\\.\\d{2}\\.\\d{2}-\\d{3}\\.\\d{2}', 45, 'eleven digits, written as on the card'], ['\\d{6}[ -]?\\d{3}[ -]?\\d{2}', 10, 'eleven digits']],
  check: (n) => holds(Number(n.slice(2, 4)) % 20 <= 12 && Number(n.slice(4, 6)) <= 31 && belgianHolds(n), `${CHECK_DIGITS} (mod 97)`, 35),
  context: { nl: ['rijksregister', 'rijksregisternummer', 'insz', 'nationaal nummer'], fr: ['registre national', 'numéro national', 'niss'], en: ['national number', 'belgian id'] },
}); // prettier-ignore
const ODD = '1 0 5 7 9 13 15 17 19 21 2 4 18 20 11 3 6 8 12 14 16 10 22 25 24 23'.split(' ').map(Number);
/** D.M. 23 dicembre 1976: values by place, odd ones by the table. */
export function codiceHolds(n: string): boolean {
  let sum = 0;
  for (let i = 0; i < 15; i++) {
    const c = n.charCodeAt(i);
    const v = c < 58 ? c - 48 : c - 65;
    sum += i % 2 ? v : ODD[v]!;
  }
  return sum % 26 === n.charCodeAt(15) - 65;
}
const codiceFiscale = scheme({
  id: 'it-codice-fiscale', name: 'Tax code (Italy, codice fiscale)', weight: 3, country: 'IT', source: 'D.M. 23 dicembre 1976 n. 13813',
  shapes: [['[A-Z]{6}[0-9LMNP-V]{2}[ABCDEHLMPRST][0-9LMNP-V]{2}[A-Z][0-9LMNP-V]{3}[A-Z]', 50, 'sixteen characters in their places']],
  check: (n) => holds(codiceHolds(n), 'the check letter is right', 30),
  context: { it: ['codice fiscale', 'cod. fiscale', 'cf', 'c.f', 'tessera sanitaria'], en: ['tax code', 'fiscal code'] },
  anyCase: true, examples: ['RSSMRA85T10A562S'],
}); // prettier-ignore
const nif = scheme({
  id: 'pt-nif', name: 'Tax number (Portugal, NIF)', weight: 2, country: 'PT', source: 'Decreto-Lei 14/2013; mod 11',
  shapes: [['\\d{3} \\d{3} \\d{3}', 10, 'nine digits in threes'], ['[1235689]\\d{8}', 5, 'nine digits']],
  check: (n) => holds(/^[1235689]/.test(n) && portugueseHolds(n), `${CHECK_DIGIT} (mod 11)`, 20),
  context: { pt: ['nif', 'contribuinte', 'número de contribuinte', 'identificação fiscal', 'nipc'], en: ['portuguese tax'] },
  contextPoints: 40, examples: ['123456789', '999999990'],
}); // prettier-ignore
/** Centuries are in the month: + 80 for 1800, + 20 for 2000, + 40 for 2100, + 60 for 2200. */
export const peselHolds = (n: string): boolean =>
  (10 - (weighted(n, [1, 3, 7, 9, 1, 3, 7, 9, 1, 3]) % 10)) % 10 === digit(n, 10);
const pesel = scheme({
  id: 'pl-pesel', name: 'Personal number (Poland, PESEL)', weight: 3, country: 'PL', source: 'Ustawa o ewidencji ludności 2010, art. 15',
  shapes: [['\\d{11}', 10, 'eleven digits']],
  check: (n) => both(isDate(Number(n.slice(0, 2)), Number(n.slice(2, 4)) % 20, Number(n.slice(4, 6))), peselHolds(n), 20),
  context: { pl: ['pesel', 'numer pesel', 'urodzenia', 'dowód'], en: ['personal number', 'polish id'] },
  contextPoints: 30, shows: 2,
}); // prettier-ignore
const personnummer = scheme({
  id: 'se-personnummer', name: 'Personal number (Sweden)', weight: 3, country: 'SE', source: 'Folkbokföringslag (1991:481) 18 §; Luhn',
  shapes: [['(?:19|20)\\d{6}[-+]\\d{4}', 40, 'twelve digits with a hyphen'], ['\\d{6}[-+]\\d{4}', 25, 'ten digits with a hyphen'], ['(?:19|20)\\d{10}', 20, 'twelve digits'], ['\\d{10}', 5, 'ten digits']],
  normalise: (w) => w.replace(/\D/g, '').slice(-10),
  check(n) {
    const day = Number(n.slice(4, 6));
    return both(isDate(Number(n.slice(0, 2)), Number(n.slice(2, 4)), day > 60 ? day - 60 : day), luhn(n), 20);
  },
  context: { sv: ['personnummer', 'pnr', 'person nr', 'samordningsnummer', 'folkbokförd', 'född'], en: ['swedish id', 'personal number', 'personal identity number'] },
  contextPoints: 25, shows: 2, examples: ['8112189876', '1212121212'],
}); // prettier-ignore
const modulo = (n: string, weights: readonly number[]): number => {
  const r = weighted(n, weights) % 11;
  return r === 0 ? 0 : 11 - r;
};
/** The individual number is of a range by the year of birth (Skatteetaten, fødselsnummer). */
const bornInRange = (n: string): boolean => {
  const [year, individual] = [Number(n.slice(4, 6)), Number(n.slice(6, 9))];
  return individual < 500 || year < 40 || (year >= 54 && individual < 750) || individual >= 900;
};
export const fodselsnummerHolds = (n: string): boolean =>
  bornInRange(n) &&
  modulo(n, [3, 7, 6, 1, 8, 9, 4, 5, 2]) === digit(n, 9) &&
  modulo(n, [5, 4, 3, 2, 7, 6, 5, 4, 3, 2]) === digit(n, 10);
const fodselsnummer = scheme({
  id: 'no-fodselsnummer', name: 'Birth number (Norway)', weight: 3, country: 'NO', source: 'Folkeregisterforskriften § 2-2-1; E. Selmer, Personnummerering i Norge (1964)',
  shapes: [['\\d{6} \\d{5}', 25, 'eleven digits, grouped 6 5'], ['\\d{11}', 15, 'eleven digits']],
  check(n) {
    const day = Number(n.slice(0, 2));
    const month = Number(n.slice(2, 4));
    return both(isDate(Number(n.slice(4, 6)), month > 40 ? month - 40 : month, day > 40 ? day - 40 : day), fodselsnummerHolds(n), 30, CHECK_DIGITS);
  },
  context: { no: ['fødselsnummer', 'fødselsnr', 'fnr', 'personnummer', 'd-nummer', 'født'], en: ['birth number', 'norwegian id', 'national id'] },
  contextPoints: 25, shows: 2,
}); // prettier-ignore
const cpr = scheme({
  id: 'dk-cpr', name: 'Personal number (Denmark, CPR)', weight: 3, country: 'DK', source: 'CPR-kontoret, Personnummeret i CPR (no check digit for some since 2007)',
  shapes: [['\\d{6}-\\d{4}', 30, 'ten digits with a hyphen'], ['\\d{10}', 5, 'ten digits']],
  check(n) {
    if (!dateIn(n, 'ddmmyy')) return undefined;
    const right = weighted(n, [4, 3, 2, 7, 6, 5, 4, 3, 2, 1]) % 11 === 0;
    return [{ why: 'it holds a day that there is', points: 10 }, right ? { why: `${CHECK_DIGIT} (mod 11)`, points: 15 } : { why: 'its check digit is not the old one', points: -10 }];
  },
  context: { da: ['cpr', 'cpr-nr', 'cpr nummer', 'cpr-nummer', 'personnummer', 'født'], en: ['danish id', 'personal number'] },
  contextPoints: 30, shows: 2, examples: ['0707614285'],
}); // prettier-ignore
const FINNISH = '0123456789ABCDEFHJKLMNPRSTUVWXY';
export const hetuHolds = (n: string): boolean =>
  FINNISH[Number(n.slice(0, 6) + n.slice(7, 10)) % 31] === n[10];
const hetu = scheme({
  id: 'fi-hetu', name: 'Personal number (Finland)', weight: 3, country: 'FI', source: 'Valtioneuvoston asetus 690/2022; mod 31',
  shapes: [['\\d{6}[-+A-FU-Y]\\d{3}[0-9A-FHJ-NPR-Y]', 40, 'date, century and number']],
  normalise: (w) => w.toUpperCase(),
  check: (n) => both(dateIn(n, 'ddmmyy'), hetuHolds(n), 30, 'the check character is right'),
  context: { fi: ['hetu', 'henkilötunnus', 'sotu', 'syntynyt'], sv: ['personbeteckning'], en: ['personal identity code', 'finnish id'] },
  shows: 2, examples: ['131052-308T'],
}); // prettier-ignore
export function isikukoodHolds(n: string): boolean {
  let r = weighted(n, [1, 2, 3, 4, 5, 6, 7, 8, 9, 1]) % 11;
  if (r === 10) r = weighted(n, [3, 4, 5, 6, 7, 8, 9, 1, 2, 3]) % 11;
  return r % 10 === digit(n, 10);
}
const isikukood = scheme({
  id: 'ee-isikukood', name: 'Personal code (Estonia)', weight: 3, country: 'EE', source: 'EVS 585:2007, Isikukood',
  shapes: [['[1-8]\\d{10}', 15, 'eleven digits']],
  check: (n) => both(dateIn(n.slice(1), 'yymmdd'), isikukoodHolds(n), 25),
  context: { et: ['isikukood', 'ik', 'sünniaeg', 'sündinud', 'id-kaart'], en: ['personal code', 'estonian id', 'personal identification code'] },
  contextPoints: 30, shows: 2,
}); // prettier-ignore
export const eanHolds = (n: string): boolean =>
  (10 - (weighted(n, [1, 3, 1, 3, 1, 3, 1, 3, 1, 3, 1, 3]) % 10)) % 10 === digit(n, 12);
const ahv = scheme({
  id: 'ch-ahv', name: 'Social insurance number (Switzerland, AHV)', weight: 3, country: 'CH', source: 'AHVV Art. 133; check digit of EAN-13',
  shapes: [['756\\.\\d{4}\\.\\d{4}\\.\\d{2}', 50, 'thirteen digits from 756 on, with dots'], ['756\\d{10}', 25, 'thirteen digits from 756 on']],
  check: (n) => holds(eanHolds(n), CHECK_DIGIT, 25),
  context: { de: ['ahv', 'ahv-nummer', 'ahv-nr', 'versichertennummer', 'sozialversicherung'], fr: ['avs', 'no avs', 'assurance sociale'], it: ['avs'], en: ['social insurance'] },
  examples: ['7569217076985'],
}); // prettier-ignore
export const svnrHolds = (n: string): boolean =>
  n[0] !== '0' && weighted(n, [3, 7, 9, 0, 5, 8, 4, 2, 1, 6]) % 11 === digit(n, 3);
const svnr = scheme({
  id: 'at-svnr', name: 'Insurance number (Austria, SVNR)', weight: 3, country: 'AT', source: 'ASVG § 31; Dachverband der Sozialversicherungsträger',
  shapes: [['\\d{4}[ -/]\\d{6}', 20, 'ten digits, grouped 4 6'], ['\\d{10}', 5, 'ten digits']],
  check: (n) => (n.length === 10 ? both(dateIn(n.slice(4), 'ddmmyy'), svnrHolds(n), 20) : undefined),
  context: { de: ['svnr', 'sv-nr', 'sozialversicherungsnummer', 'versicherungsnummer', 'sozialversicherung', 'e-card'], en: ['insurance number'] },
  contextPoints: 30, shows: 2,
}); // prettier-ignore

// ---- Latin America ----------------------------------------------------------------------------

export const cpfHolds = (n: string): boolean => {
  if (/^(\d)\1{10}$/.test(n)) return false;
  const last = (sum: number): number => (sum % 11 < 2 ? 0 : 11 - (sum % 11));
  return (
    last(weighted(n, [10, 9, 8, 7, 6, 5, 4, 3, 2])) === digit(n, 9) &&
    last(weighted(n, [11, 10, 9, 8, 7, 6, 5, 4, 3, 2])) === digit(n, 10)
  );
};
const cpf = scheme({
  id: 'br-cpf', name: 'Taxpayer number (Brazil, CPF)', weight: 3, country: 'BR', source: 'Receita Federal, Instrução Normativa RFB 1548/2015',
  shapes: [['\\d{3}\\.\\d{3}\\.\\d{3}-\\d{2}', 45, 'eleven digits, with dots and hyphen'], ['\\d{9}-\\d{2}', 25, 'eleven digits with a hyphen'], ['\\d{11}', 10, 'eleven digits']],
  check: (n) => holds(cpfHolds(n), CHECK_DIGITS, 35),
  context: { pt: ['cpf', 'cadastro de pessoas', 'contribuinte'], en: ['brazilian id', 'taxpayer'] },
  examples: ['12345678909', '52998224725'],
}); // prettier-ignore
const MEXICAN_STATES =
  'AS BC BS CC CL CM CS CH DF DG GT GR HG JC MC MN MS NT NL OC PL QT QR SP SL SR TC TS TL VZ YN ZS NE'.split(
    ' ',
  );
const CURP = '0123456789ABCDEFGHIJKLMNÑOPQRSTUVWXYZ';
export function curpHolds(n: string): boolean {
  if (!MEXICAN_STATES.includes(n.slice(11, 13))) return false;
  let sum = 0;
  for (let i = 0; i < 17; i++) sum += CURP.indexOf(n[i]!) * (18 - i);
  return (10 - (sum % 10)) % 10 === digit(n, 17);
}
const curp = scheme({
  id: 'mx-curp', name: 'Population registry code (Mexico, CURP)', weight: 3, country: 'MX', source: 'RENAPO, Instructivo normativo para la asignación de la CURP',
  shapes: [['[A-Z][AEIOUX][A-Z]{2}\\d{6}[HMX][A-Z]{2}[B-DF-HJ-NP-TV-Z]{3}[A-Z0-9]\\d', 50, 'eighteen characters in their places']],
  check: (n) => both(dateIn(n.slice(4), 'yymmdd'), curpHolds(n), 25),
  context: { es: ['curp', 'clave única', 'registro de población'], en: ['mexican id'] },
  shows: 2,
}); // prettier-ignore
const PRIMES = [3, 7, 13, 17, 19, 23, 29, 37, 41, 43, 47, 53, 59, 67, 71];
export function nitHolds(n: string): boolean {
  let sum = 0;
  for (let i = n.length - 2, k = 0; i >= 0; i--, k++) sum += digit(n, i) * PRIMES[k]!;
  return '01987654321'[sum % 11] === n[n.length - 1];
}
const nit = scheme({
  id: 'co-nit', name: 'Tax or identity number (Colombia, NIT)', weight: 2, country: 'CO', source: 'DIAN, Orden Administrativa 4 de 1989',
  shapes: [['\\d{1,3}\\.\\d{3}\\.\\d{3}-\\d', 30, 'digits in threes, and a check digit'], ['\\d{8,10}-\\d', 20, 'digits and a check digit']],
  check: (n) => holds(nitHolds(n), CHECK_DIGIT, 25),
  context: { es: ['nit', 'rut', 'cédula', 'cedula', 'cédula de ciudadanía', 'identificación tributaria'], en: ['colombian tax'] },
  contextPoints: 25,
}); // prettier-ignore
const cedula = scheme({
  id: 'co-cedula', name: 'Identity number (Colombia, cédula)', weight: 3, country: 'CO', source: 'Registraduría Nacional (common practice)',
  shapes: [['\\d{1,3}(?:\\.\\d{3}){2,3}', 20, 'digits in threes'], ['\\d{6,10}', 5, 'six to ten digits']],
  check: () => NO_CHECK,
  context: { es: ['cédula', 'cedula', 'cédula de ciudadanía', 'documento de identidad'] },
  needsContext: true, contextPoints: 40,
}); // prettier-ignore

// ---- Asia and Africa --------------------------------------------------------------------------

const aadhaar = scheme({
  id: 'in-aadhaar', name: 'Aadhaar (India)', weight: 3, country: 'IN', source: 'UIDAI, Aadhaar numbering scheme; J. Verhoeff (1969)',
  shapes: [['[2-9]\\d{3} \\d{4} \\d{4}', 25, 'twelve digits in fours'], ['[2-9]\\d{3}-\\d{4}-\\d{4}', 25, 'twelve digits in fours'], ['[2-9]\\d{11}', 10, 'twelve digits']],
  check: (n) => holds(verhoeff(n), `${CHECK_DIGIT} (Verhoeff)`, 20),
  context: { en: ['aadhaar', 'aadhar', 'uid', 'uidai', 'enrolment'], hi: ['आधार'] },
  contextPoints: 30, shows: 4,
}); // prettier-ignore
const pan = scheme({
  id: 'in-pan', name: 'Permanent account number (India, PAN)', weight: 3, country: 'IN', source: 'Income-tax Rules 1962, rule 114',
  shapes: [['[A-Z]{3}[ABCFGHJLPT][A-Z]\\d{4}[A-Z]', 45, 'ten characters, a kind of holder in the fourth']],
  check: (n) => holds(n.slice(5, 9) !== '0000', 'its number is one that is given', 5),
  context: { en: ['pan', 'pan no', 'pan card', 'permanent account', 'income tax', 'tds'] },
  contextPoints: 30,
}); // prettier-ignore
export const residentHolds = (n: string): boolean =>
  '10X98765432'[weighted(n, [7, 9, 10, 5, 8, 4, 2, 1, 6, 3, 7, 9, 10, 5, 8, 4, 2]) % 11] === n[17];
const resident = scheme({
  id: 'cn-resident', name: 'Resident identity number (China)', weight: 3, country: 'CN', source: 'GB 11643-1999; ISO/IEC 7064 MOD 11-2',
  shapes: [['\\d{17}[\\dXx]', 30, 'eighteen characters']],
  check: (n) => both(/^[1-8]/.test(n) && dateIn(n.slice(6), 'yyyymmdd') && /^(?:19|20)/.test(n.slice(6)), residentHolds(n), 30),
  context: { zh: ['身份证', '身份证号', '居民身份证', '公民身份'], en: ['resident identity', 'chinese id', 'id card'] },
  shows: 2,
}); // prettier-ignore
/** Ministry of Internal Affairs ordinance 85 of 2014, article 5: weights from the right. */
export function myNumberHolds(n: string): boolean {
  let sum = 0;
  for (let k = 1; k <= 11; k++) sum += digit(n, 11 - k) * (k <= 6 ? k + 1 : k - 5);
  const r = sum % 11;
  return (r <= 1 ? 0 : 11 - r) === digit(n, 11);
}
const myNumber = scheme({
  id: 'jp-my-number', name: 'My Number (Japan)', weight: 3, country: 'JP', source: '総務省令第八十五号 (2014), article 5',
  shapes: [['\\d{4}[ -]\\d{4}[ -]\\d{4}', 20, 'twelve digits in fours'], ['\\d{12}', 10, 'twelve digits']],
  check: (n) => holds(myNumberHolds(n), CHECK_DIGIT, 20),
  context: { ja: ['マイナンバー', '個人番号', '番号カード'], en: ['my number', 'individual number'] },
  contextPoints: 35, examples: ['123456789018'],
}); // prettier-ignore
const rrn = scheme({
  id: 'kr-rrn', name: 'Resident registration number (South Korea)', weight: 3, country: 'KR', source: '주민등록법 시행규칙; random since October 2020, without a check digit',
  shapes: [['\\d{6}-[1-8]\\d{6}', 40, 'thirteen digits with a hyphen'], ['\\d{6}[1-8]\\d{6}', 10, 'thirteen digits']],
  check(n) {
    if (!dateIn(n, 'yymmdd')) return undefined;
    const right = (11 - (weighted(n, [2, 3, 4, 5, 6, 7, 8, 9, 2, 3, 4, 5]) % 11)) % 10 === digit(n, 12);
    return [{ why: 'it holds a day that there is', points: 10 }, right ? { why: CHECK_DIGIT, points: 20 } : { why: 'it has no check digit, as since 2020', points: -10 }];
  },
  context: { ko: ['주민등록번호', '주민번호', '외국인등록번호'], en: ['resident registration', 'korean id', 'rrn'] },
  contextPoints: 25, shows: 2,
}); // prettier-ignore
/** Letters by remainder; T and G count 4 more, M counts 3 more (from memory). */
export function nricHolds(n: string): boolean {
  const r = (weighted(n.slice(1), [2, 7, 6, 5, 4, 3, 2]) + ({ T: 4, G: 4, M: 3 }[n[0]!] ?? 0)) % 11;
  const letters = { S: 'JZIHGFEDCBA', T: 'JZIHGFEDCBA', F: 'XWUTRQPNMLK', G: 'XWUTRQPNMLK', M: 'XWUTRQPNJLK' }[n[0]!]!;
  return letters[r] === n[8];
} // prettier-ignore
const nric = scheme({
  id: 'sg-nric', name: 'Identity number (Singapore, NRIC or FIN)', weight: 3, country: 'SG', source: 'Immigration and Checkpoints Authority (check from memory)',
  shapes: [['[STFGM]\\d{7}[A-Z]', 35, 'a letter, seven digits and a letter']],
  check: (n) => holds(nricHolds(n), 'the check letter is right', 30),
  context: { en: ['nric', 'fin', 'identity card', 'ic no', 'singapore', 'work pass'] },
}); // prettier-ignore
export const thaiHolds = (n: string): boolean =>
  (11 - (weighted(n, [13, 12, 11, 10, 9, 8, 7, 6, 5, 4, 3, 2]) % 11)) % 10 === digit(n, 12);
const thai = scheme({
  id: 'th-identity', name: 'Identity number (Thailand)', weight: 3, country: 'TH', source: 'กรมการปกครอง, identity card number (mod 11)',
  shapes: [['[1-8]-\\d{4}-\\d{5}-\\d{2}-\\d', 45, 'thirteen digits, written as on the card'], ['[1-8]\\d{12}', 10, 'thirteen digits']],
  check: (n) => holds(thaiHolds(n), `${CHECK_DIGIT} (mod 11)`, 20),
  context: { th: ['เลขประจำตัวประชาชน', 'บัตรประชาชน', 'ประชาชน'], en: ['thai id', 'identity card', 'citizen id'] },
  contextPoints: 30,
}); // prettier-ignore
const southAfrican = scheme({
  id: 'za-identity', name: 'Identity number (South Africa)', weight: 3, country: 'ZA', source: 'Identification Act 68 of 1997; Luhn',
  shapes: [['\\d{6} \\d{4} \\d{3}', 30, 'thirteen digits, grouped 6 4 3'], ['\\d{13}', 10, 'thirteen digits']],
  check: (n) => both(dateIn(n, 'yymmdd') && /[0-2]/.test(n[10]!), luhn(n), 20),
  context: { en: ['identity number', 'id number', 'id no', 'south african id', 'rsa id', 'sa id'], af: ['identiteitsnommer'] },
  contextPoints: 30,
}); // prettier-ignore

// ---- Any country ------------------------------------------------------------------------------

/** ICAO Doc 9303-4 to -6: the check digits of number, birth, expiry, and of all together. */
export function mrzHolds(lines: readonly string[]): boolean {
  const right = (line: string, from: number, to: number): boolean => mrzDigit(line.slice(from, to)) === digit(line, to);
  const [first, second] = lines as [string, string];
  if (lines.length === 3)
    return (
      right(first, 5, 14) && right(second, 0, 6) && right(second, 8, 14) &&
      mrzDigit(first.slice(5, 30) + second.slice(0, 7) + second.slice(8, 15) + second.slice(18, 29)) === digit(second, 29)
    );
  if (!(right(second, 0, 9) && right(second, 13, 19) && right(second, 21, 27))) return false;
  const last = second.length - 1;
  return mrzDigit(second.slice(0, 10) + second.slice(13, 20) + second.slice(21, last)) === digit(second, last);
} // prettier-ignore
const mrz = scheme({
  id: 'passport-mrz', name: 'Passport or travel document (machine-readable zone)', weight: 3, source: 'ICAO Doc 9303, parts 3 to 6',
  looks: [/[A-Z][A-Z0-9<]{19}/],
  shapes: [
    ['P[A-Z<][A-Z<]{3}[A-Z<]{39}\\r?\\n[A-Z0-9<]{9}\\d[A-Z<]{3}\\d{6}\\d[MFX<]\\d{6}\\d[A-Z0-9<]{14}[\\d<]\\d', 40, 'two lines of 44 characters, as in passports'],
    ['[ACI][A-Z0-9<][A-Z<]{3}[A-Z0-9<]{9}[\\d<][A-Z0-9<]{15}\\r?\\n\\d{7}[MFX<]\\d{7}[A-Z<]{3}[A-Z0-9<]{11}\\d\\r?\\n[A-Z<]{30}', 40, 'three lines of 30 characters, as on identity cards'],
    ['[ACIPV][A-Z<][A-Z<]{3}[A-Z<]{31}\\r?\\n[A-Z0-9<]{9}\\d[A-Z<]{3}\\d{6}\\d[MFX<]\\d{6}\\d[A-Z0-9<]{7}\\d', 40, 'two lines of 36 characters'],
  ],
  normalise: (w) => w.replace(/\r/g, ''),
  check: (n) => holds(mrzHolds(n.split('\n')), 'all its check digits are right', 50),
  context: { en: ['passport', 'mrz', 'travel document', 'nationality', 'visa'] },
  longest: 100, shows: 0,
}); // prettier-ignore

export const PEOPLE = [
  ssn, itin, usPassport, usLicence, nino, nhs, gbLicence, utr, pps, sin, tfn, medicare, abn, ird, dni, nie, nir, steuerId,
  personalausweis, bsn, belgian, codiceFiscale, nif, pesel, personnummer, fodselsnummer, cpr, hetu, isikukood, ahv, svnr,
  cpf, curp, nit, cedula, aadhaar, pan, resident, myNumber, rrn, nric, thai, southAfrican, mrz,
]; // prettier-ignore
