/** How people are reached, and when they were born. */
import { parsePhoneNumberFromString } from 'libphonenumber-js/min';
import type { DataType } from '../types.ts';
import { isDate } from './checks.ts';
import { NO_CHECK, scheme } from './scheme.ts';

const email: DataType = {
  id: 'email',
  name: 'E-mail address',
  weight: 1,
  source: 'RFC 5322 §3.4.1, the part in common use; RFC 1035 §2.3.4 for lengths',
  start: { sign: '@' },
  patterns: [/[\w](?:[\w.%+-]{0,62}[\w%+-])?@(?:[A-Za-z0-9-]{1,63}\.){1,6}[A-Za-z]{2,24}(?![A-Za-z0-9-])/y],
  longest: 200,
  judge(candidate) {
    const [local, domain] = candidate.toLowerCase().split('@') as [string, string];
    if (local.includes('..') || /(?:^|\.)-|-(?:\.|$)/.test(domain)) return undefined;
    const reasons = [{ why: 'the form of an address', points: 70 }];
    if (/(?:^|\.)(?:example|test|invalid|localhost)(?:\.(?:com|net|org))?$/.test(domain))
      reasons.push({ why: 'its domain is kept for examples', points: -10 });
    if (/^(?:no-?reply|info|support|sales|admin|contact|hello|office|webmaster|postmaster|git)$/.test(local))
      reasons.push({ why: 'it is an office’s, not a person’s', points: -20 });
    if (/\.(?:png|jpe?g|gif|svg|js|css|ts|md)$/.test(domain))
      reasons.push({ why: 'it ends as a file does', points: -60 });
    return { normalised: `${local}@${domain}`, masked: `${local[0]}•••@${domain}`, reasons };
  },
  context: { en: ['email', 'e-mail', 'mail', 'contact'], de: ['e-mail-adresse'], no: ['e-post'], et: ['e-post', 'meil'] },
  otherwise: [],
  examples: new Set(),
}; // prettier-ignore

const phone: DataType = {
  id: 'phone',
  name: 'Phone number',
  weight: 1,
  source: 'ITU-T E.164; numbering plans from libphonenumber',
  // without a country's code any number of ten digits would be a phone somewhere
  start: { sign: '+' },
  patterns: [/\+\(?\d{1,3}[ .()/-]{0,2}\d(?:[ .()/-]{0,2}\d){5,12}(?!\d)/y],
  longest: 40,
  judge(candidate) {
    const number = parsePhoneNumberFromString(`+${candidate.replace(/\D/g, '')}`);
    if (!number?.isValid()) return undefined;
    return {
      normalised: number.number,
      masked: `+${number.countryCallingCode} ••• ${number.nationalNumber.slice(-2)}`,
      reasons: [{ why: `a number of ${number.country ?? `+${number.countryCallingCode}`}`, points: 10 },
        { why: 'it begins as an international number', points: 45 }].concat(
        /\d\D/.test(candidate) ? [{ why: 'it is grouped', points: 10 }] : [],
      ),
    };
  },
  context: { en: ['phone', 'tel', 'telephone', 'mobile', 'cell', 'call', 'fax', 'whatsapp', 'contact'], de: ['telefon', 'handy', 'mobil'], fr: ['téléphone', 'tél', 'portable'], no: ['tlf', 'telefon', 'mobil'], nl: ['telefoon', 'mobiel'], et: ['telefon', 'mobiil'], es: ['teléfono', 'móvil'] },
  otherwise: ['order', 'invoice', 'serial', 'isbn', 'part number', 'timestamp', 'account', 'iban'],
  examples: new Set(),
}; // prettier-ignore
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const birth = scheme({
  id: 'date-of-birth', name: 'Date of birth', weight: 2, source: 'ISO 8601-1 and common spellings',
  looks: [/\d{4}[-/.]\d{1,2}/, /\d{1,2}[-/.]\d{1,2}[-/.]\d{4}/, /\d{1,2}\.? [A-Za-z]/],
  shapes: [
    ['(?:19|20)\\d{2}[-/.](?:0?[1-9]|1[0-2])[-/.](?:0?[1-9]|[12]\\d|3[01])', 25, 'year, month and day'],
    ['(?:0?[1-9]|[12]\\d|3[01])[-/.](?:0?[1-9]|[12]\\d|3[01])[-/.](?:19|20)\\d{2}', 25, 'day, month and year'],
    [`(?:0?[1-9]|[12]\\d|3[01])\\.? (?:${MONTHS.join('|')})[a-z]{0,6}\\.? (?:19|20)\\d{2}`, 25, 'day, month in words and year'],
  ],
  normalise(written) {
    const month = MONTHS.findIndex((m) => written.toLowerCase().includes(m)) + 1;
    const n = (written.match(/\d+/g) ?? []).map(Number);
    if (month) return [n[1], month, n[0]].join('-');
    return (n[0]! > 31 ? n : n[1]! > 12 ? [n[2], n[0], n[1]] : [n[2], n[1], n[0]]).join('-');
  },
  check(n) {
    const [y, m, d] = n.split('-').map(Number) as [number, number, number];
    return isDate(y, m, d) && y < 2030 ? NO_CHECK : undefined;
  },
  context: { en: ['date of birth', 'dob', 'born', 'birth date', 'birthdate', 'birthday'], de: ['geburtsdatum', 'geboren', 'geb'], fr: ['date de naissance', 'né le', 'née le'], es: ['fecha de nacimiento', 'nacido'], nl: ['geboortedatum', 'geboren'], no: ['fødselsdato', 'født'], sv: ['födelsedatum', 'född'], da: ['fødselsdato', 'født'], et: ['sünniaeg', 'sündinud'], it: ['data di nascita', 'nato il'], pt: ['data de nascimento'], pl: ['data urodzenia'] },
  needsContext: true, contextPoints: 45, shows: 0, anyCase: true, longest: 30,
}); // prettier-ignore

const address = scheme({
  id: 'postal-address', name: 'Postal address', weight: 2, source: 'common practice; UPU S42 for the order of parts',
  looks: [/\d{1,5}[a-z]? [A-Z]/, /[A-Z][a-z-]{4,22} \d/],
  shapes: [
    ['\\d{1,5}[a-z]? (?:[A-Z][\\w’\'.-]{1,24} ){1,4}(?:Street|St|Road|Rd|Avenue|Ave|Lane|Ln|Drive|Dr|Boulevard|Blvd|Way|Court|Ct|Close|Terrace|Square|Sq|Place|Pl|Quay|Crescent|Gardens)\\.?(?:,? [A-Za-z0-9 ,.]{2,40})?', 40, 'a house number and a street'],
    ['[A-ZÄÖÜÅØÆÕ][\\wäöüßåøæõé-]{2,30}(?:straße|strasse|str\\.|gate|gata|gatan|vei|veien|vej|gade|straat|laan|weg|plein|kade|tänav|tn|mnt|maantee) \\d{1,4} ?[a-zA-Z]?(?:, ?\\d{4,5} ?[A-Z]{0,2} [A-ZÄÖÜÅØÆÕ][\\wäöüßåøæõé-]{1,30})?', 40, 'a street and a house number'],
  ],
  normalise: (w) => w.toLowerCase().replace(/[\s,.]{1,5}/g, ' ').trim(),
  check: () => NO_CHECK,
  context: { en: ['address', 'home address', 'lives at', 'residence', 'postcode', 'zip', 'street'], de: ['adresse', 'anschrift', 'wohnhaft', 'plz'], no: ['adresse', 'bosatt', 'postnummer'], nl: ['adres', 'woonachtig', 'postcode'], et: ['aadress', 'elukoht'], fr: ['adresse', 'domicile'] },
  contextPoints: 20, shows: 0, longest: 170,
}); // prettier-ignore

export const CONTACT = [birth, address, phone, email];
