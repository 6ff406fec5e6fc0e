/** Packs: data types that belong together, by purpose and jurisdiction. Stewards copy them and change the copy. */

export interface Pack {
  id: string;
  name: string;
  /** What it is for, in a sentence. */
  about: string;
  /** Ids of data types. */
  types: string[];
}

/** The packs that ship. */
export const PACKS: readonly Pack[] = [
  {
    id: 'payment-data',
    name: 'Payment data',
    about: 'Cardholder data as PCI DSS v4.0 means it: the card number, wherever it is kept.',
    types: ['payment-card'],
  },
  {
    id: 'bank-data',
    name: 'Bank data, international',
    about: 'Accounts and what routes money to them: ISO 13616, ISO 9362, national account numbers.',
    types: ['iban', 'bic', 'gb-bank-account', 'us-aba-routing'],
  },
  {
    id: 'securities',
    name: 'Securities and legal entities',
    about: 'ISO 6166, CUSIP, ISO 17442 and VAT numbers: who trades what.',
    types: ['isin', 'cusip', 'lei', 'eu-vat', 'gb-vat', 'no-vat', 'au-abn'],
  },
  {
    id: 'identity-uk',
    name: 'Identity, UK and Ireland',
    about: 'Numbers of people in the United Kingdom and Ireland.',
    types: ['gb-nino', 'gb-nhs', 'gb-driving-licence', 'gb-utr', 'ie-pps'],
  },
  {
    id: 'identity-us',
    name: 'Identity, US and Canada',
    about: 'Numbers of people in the United States and Canada.',
    types: ['us-ssn', 'us-itin', 'us-passport', 'us-driving-licence', 'ca-sin'],
  },
  {
    id: 'identity-eu-north',
    name: 'Identity, Nordic and Baltic',
    about: 'Personal numbers of Norway, Sweden, Denmark, Finland and Estonia.',
    types: ['no-fodselsnummer', 'se-personnummer', 'dk-cpr', 'fi-hetu', 'ee-isikukood'],
  },
  {
    id: 'identity-eu-west',
    name: 'Identity, western Europe',
    about: 'Personal numbers of Belgium, France, Germany, the Netherlands, Austria and Switzerland.',
    types: ['be-national-number', 'fr-nir', 'de-tax-id', 'de-identity-card', 'nl-bsn', 'at-svnr', 'ch-ahv'],
  },
  {
    id: 'identity-eu-south-east',
    name: 'Identity, southern and eastern Europe',
    about: 'Personal numbers of Spain, Italy, Portugal and Poland.',
    types: ['es-dni', 'es-nie', 'it-codice-fiscale', 'pt-nif', 'pl-pesel'],
  },
  {
    id: 'identity-asia-pacific',
    name: 'Identity, Asia and Pacific',
    about: 'Numbers of people in Australia, New Zealand, India, China, Japan, Korea, Singapore and Thailand.',
    types: [
      'au-tfn',
      'au-medicare',
      'nz-ird',
      'in-aadhaar',
      'in-pan',
      'cn-resident',
      'jp-my-number',
      'kr-rrn',
      'sg-nric',
      'th-identity',
    ],
  },
  {
    id: 'identity-latin-america-africa',
    name: 'Identity, Latin America and Africa',
    about: 'Numbers of people in Brazil, Mexico, Colombia and South Africa.',
    types: ['br-cpf', 'mx-curp', 'co-nit', 'co-cedula', 'za-identity'],
  },
  {
    id: 'health-us',
    name: 'Health, US',
    about: 'What identifies patients, providers and diagnoses in the United States (45 CFR 164.514).',
    types: ['us-npi', 'us-dea', 'icd-10', 'medical-record', 'us-ssn'],
  },
  {
    id: 'keys-and-secrets',
    name: 'Keys and secrets',
    about: 'What opens a door by itself: private keys, tokens, passwords, connection strings, seed phrases.',
    types: [
      'private-key',
      'jwt',
      'bearer-token',
      'password',
      'connection-string',
      'api-key',
      'seed-phrase',
      'certificate-request',
    ],
  },
  {
    id: 'crew-documents',
    name: 'Crew documents',
    about: 'What crews carry: passports, medical certificates, and when and where they were born and live.',
    types: ['passport-mrz', 'seafarer-medical', 'date-of-birth', 'postal-address'],
  },
  {
    id: 'contact',
    name: 'Contact data',
    about: 'Addresses and phone numbers.',
    types: ['email', 'phone', 'postal-address', 'date-of-birth'],
  },
];
