/** Health: prescribers, providers, diagnoses, records. */
import { digit, luhn, weighted } from './checks.ts';
import { CHECK_DIGIT, holds, NO_CHECK, scheme } from './scheme.ts';

/** DEA: first, third and fifth digit, and twice the others; the sum’s last digit is the seventh. */
export const deaHolds = (n: string): boolean => weighted(n.slice(2), [1, 2, 1, 2, 1, 2]) % 10 === digit(n, 8);
const dea = scheme({
  id: 'us-dea', name: 'Prescriber number (US, DEA)', weight: 3, country: 'US', source: 'DEA Diversion Control Division, registration number check',
  shapes: [['[A-HJ-NP-UX][A-Z9]\\d{7}', 30, 'two letters and seven digits']],
  check: (n) => holds(n.slice(2) !== '0000000' && deaHolds(n), CHECK_DIGIT, 20),
  context: { en: ['dea', 'dea number', 'dea no', 'dea #', 'prescriber', 'physician', 'registrant', 'controlled substance'] },
  contextPoints: 30,
}); // prettier-ignore
const npi = scheme({
  id: 'us-npi', name: 'Provider number (US, NPI)', weight: 1, country: 'US', source: '45 CFR 162.406; CMS, NPI check digit (Luhn with 80840 before it)',
  shapes: [['[12]\\d{9}', 10, 'ten digits']],
  check: (n) => holds(luhn(`80840${n}`), CHECK_DIGIT, 20),
  context: { en: ['npi', 'npi number', 'npi #', 'provider', 'provider number', 'physician', 'taxonomy'] },
  contextPoints: 35, shows: 4, examples: ['1234567893'],
}); // prettier-ignore
const icd10 = scheme({
  id: 'icd-10', name: 'Diagnosis code (ICD-10)', weight: 2, source: 'WHO ICD-10, volume 2 §2.4; ICD-10-CM',
  shapes: [
    ['[A-TV-Z]\\d[0-9AB]\\.[0-9A-KXZ]{1,4}', 25, 'a letter, digits, a point and more'],
    ['[A-TV-Z]\\d[0-9AB]', 5, 'a letter and two digits'],
  ],
  check: () => NO_CHECK,
  context: { en: ['icd', 'icd-10', 'icd10', 'diagnosis', 'diagnoses', 'dx', 'diagnosis code', 'icd code'], de: ['diagnose', 'icd-code'], no: ['diagnose'], fr: ['diagnostic', 'cim-10'], es: ['diagnóstico', 'cie-10'] },
  otherwise: ['part', 'model', 'bolt', 'cell', 'column', 'grade', 'seat', 'gate', 'room', 'drawing'],
  needsContext: true, contextPoints: 35, shows: 0,
}); // prettier-ignore
const mrn = scheme({
  id: 'medical-record', name: 'Medical record number', weight: 3, source: 'common practice',
  shapes: [['(?:[A-Z]{1,4}-?)?\\d{5,12}', 15, 'five to twelve digits'], ['\\d{2,4}-\\d{2,4}-\\d{2,4}', 15, 'digits in three groups']],
  check: () => NO_CHECK,
  context: { en: ['mrn', 'medical record', 'medical record number', 'medical record no', 'patient id', 'patient number', 'chart number', 'hospital number'], de: ['patientennummer', 'fallnummer'], nl: ['patiëntnummer'], no: ['pasientnummer', 'journalnummer'] },
  needsContext: true, contextPoints: 45,
}); // prettier-ignore
const seafarer = scheme({
  id: 'seafarer-medical', name: 'Medical certificate of a seafarer', weight: 3, source: 'MLC 2006 reg. 1.2 and STCW reg. I/9; numbers by common practice',
  shapes: [['(?:[A-Z]{1,6}[-/ ]?)?\\d{2,6}[-/]\\d{2,8}', 20, 'a number in groups'], ['(?:[A-Z]{1,6}[-/ ]?)?\\d{4,10}', 15, 'letters and digits']],
  check: () => NO_CHECK,
  context: { en: ['medical certificate', 'seafarer medical', 'eng1', 'eng 1', 'fit for sea', 'seafarer’s medical', 'medical fitness', 'peme'], no: ['helseattest', 'helseerklæring'], et: ['tervisetõend'], nl: ['zeevaartkeuring'] },
  needsContext: true, contextPoints: 45,
}); // prettier-ignore

export const HEALTH = [dea, npi, icd10, mrn, seafarer];
