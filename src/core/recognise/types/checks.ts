/** Check digits and dates, as the schemes define them. Arguments are digits, or what the scheme spells. */

/** ISO/IEC 7064 names and the schemes' own papers are given where each is used. */
export const digit = (text: string, i: number): number => text.charCodeAt(i) - 48;

/** Sum of the digits times their weights. */
export function weighted(text: string, weights: readonly number[]): number {
  let sum = 0;
  for (let i = 0; i < weights.length; i++) sum += weights[i]! * digit(text, i);
  return sum;
}

/** The check of ISO/IEC 7812-1 Annex B (the “double-add-double” of Luhn, US patent 2,950,048). */
export function luhn(digits: string): boolean {
  let total = 0;
  for (let i = digits.length - 1, twice = false; i >= 0; i--, twice = !twice) {
    const d = digits.charCodeAt(i) - 48;
    total += twice ? (d > 4 ? 2 * d - 9 : 2 * d) : d;
  }
  return total % 10 === 0;
}

/** A = 10 … Z = 35, each written out in digits. */
export const spelledOut = (text: string): string =>
  text.replace(/[A-Z]/g, (c) => String(c.charCodeAt(0) - 55));

/** Remainder of a number of any length by 97 (ISO/IEC 7064, MOD 97-10), letters spelled out. */
export function mod97of(text: string): number {
  let rest = 0;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    rest = c < 58 ? (rest * 10 + c - 48) % 97 : (rest * 100 + c - 55) % 97;
  }
  return rest;
}

/** ISO/IEC 7064, MOD 11-10: the whole number with its check digit. */
export function mod11_10(digits: string): boolean {
  let product = 10;
  for (let i = 0; i < digits.length - 1; i++) {
    const sum = (digit(digits, i) + product) % 10 || 10;
    product = (sum * 2) % 11;
  }
  return (11 - product) % 10 === digit(digits, digits.length - 1);
}

const D = [
  '0123456789',
  '1234067895',
  '2340178956',
  '3401289567',
  '4012395678',
  '5987604321',
  '6598710432',
  '7659821043',
  '8765932104',
  '9876543210',
];
const P = [
  '0123456789',
  '1576283094',
  '5803796142',
  '8916043527',
  '9453126870',
  '4286573901',
  '2793806415',
  '7046913258',
];
/** J. Verhoeff, Error Detecting Decimal Codes (1969): the whole number with its check digit. */
export function verhoeff(digits: string): boolean {
  let c = 0;
  for (let i = 0; i < digits.length; i++)
    c = digit(D[c]!, digit(P[i % 8]!, digit(digits, digits.length - 1 - i)));
  return c === 0;
}

/** Whether there is such a day; a year of two digits is taken as any century's. */
export function isDate(year: number, month: number, day: number): boolean {
  if (month < 1 || month > 12 || day < 1) return false;
  const leap = year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0 || year < 100);
  return day <= [31, leap ? 29 : 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month - 1]!;
}

/** A date in digits: `order` says where day, month and year stand, as in 'yymmdd' or 'ddmmyyyy'. */
export function dateIn(text: string, order: string): boolean {
  let [y, m, d] = [0, 0, 0];
  for (let i = 0; i < order.length; i++) {
    const n = digit(text, i);
    if (n < 0 || n > 9) return false;
    if (order[i] === 'y') y = y * 10 + n;
    else if (order[i] === 'm') m = m * 10 + n;
    else d = d * 10 + n;
  }
  return isDate(y, m, d);
}

/** Countries by ISO 3166-1 alpha-2, with XK (common practice). */
export const COUNTRIES: ReadonlySet<string> = new Set(
  (
    'AD AE AF AG AI AL AM AO AQ AR AS AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BQ BR BS BT BV BW BY BZ ' +
    'CA CC CD CF CG CH CI CK CL CM CN CO CR CU CV CW CX CY CZ DE DJ DK DM DO DZ EC EE EG EH ER ES ET FI FJ FK FM FO FR ' +
    'GA GB GD GE GF GG GH GI GL GM GN GP GQ GR GS GT GU GW GY HK HM HN HR HT HU ID IE IL IM IN IO IQ IR IS IT JE JM JO JP ' +
    'KE KG KH KI KM KN KP KR KW KY KZ LA LB LC LI LK LR LS LT LU LV LY MA MC MD ME MF MG MH MK ML MM MN MO MP MQ MR MS MT MU MV MW MX MY MZ ' +
    'NA NC NE NF NG NI NL NO NP NR NU NZ OM PA PE PF PG PH PK PL PM PN PR PS PT PW PY QA RE RO RS RU RW ' +
    'SA SB SC SD SE SG SH SI SJ SK SL SM SN SO SR SS ST SV SX SY SZ TC TD TF TG TH TJ TK TL TM TN TO TR TT TV TW TZ ' +
    'UA UG UM US UY UZ VA VC VE VG VI VN VU WF WS YE YT ZA ZM ZW XK'
  ).split(' '),
);
