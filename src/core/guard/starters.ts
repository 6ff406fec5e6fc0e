/** Policies to begin with: each observes until somebody has looked at what it would do. */
import { PACKS } from '../recognise/packs.ts';
import { dataType } from '../recognise/types/index.ts';
import type { Severity } from '../exposure/exposure.ts';
import type { Policy, Rule } from './schema.ts';

export interface Starter {
  id: string;
  /** What it is about, to be found by. */
  theme: 'Content' | 'Links' | 'Guests' | 'Wide access' | 'Spaces' | 'Housekeeping' | 'Apps';
  policy: Policy;
}

type Given = Pick<Rule, 'name' | 'subject' | 'if'> & Partial<Rule>;

const rule = (n: number, severity: Severity, given: Given): Rule => ({
  id: `r${n + 1}`,
  atRest: true,
  mode: 'observe',
  severity,
  responses: [{ do: 'finding' }],
  ...given,
});

function starter(
  id: string,
  theme: Starter['theme'],
  severity: Severity,
  name: string,
  purpose: string,
  ...rules: Given[]
): Starter {
  return {
    id,
    theme,
    policy: {
      format: 'gate-lantern-policy',
      version: 1,
      name,
      purpose,
      rules: rules.map((r, n) => rule(n, severity, r)),
    },
  };
}

const OUTSIDE = [{ do: 'refuse' as const }, { do: 'withdraw-outside' as const }, { do: 'finding' as const }];
const ANYONE = [{ do: 'withdraw-anyone' as const }, { do: 'finding' as const }];

/** Files with something of a pack that reach too far, a rule for each of its data types. */
const byPack = (pack: string, could: string, distinct: number): Given[] =>
  PACKS.find((p) => p.id === pack)!.types.map((id) => ({
    name: `${dataType(id)!.name} within reach of ${could}`,
    subject: 'item',
    if: `could >= ${could} && holds(${JSON.stringify(id)}${distinct > 1 ? `, {"distinct": ${distinct}}` : ''})`,
    moments: ['share'],
    responses: OUTSIDE,
  }));

export const STARTERS: readonly Starter[] = [
  starter(
    'cards-outside',
    'Content',
    'critical',
    'Card numbers stay inside',
    'PCI DSS keeps card numbers to those who need them: nobody outside does.',
    ...byPack('payment-data', 'partner', 1),
  ),
  starter(
    'bank-outside',
    'Content',
    'high',
    'Bank data leaves by agreement only',
    'Lists of accounts are what invoice fraud begins with. One account on an invoice is not a list.',
    ...byPack('bank-data', 'outside', 3),
  ),
  ...PACKS.filter((p) => p.id.startsWith('identity-')).map((p) =>
    starter(
      `${p.id}-outside`,
      'Content',
      'high',
      `Identity numbers stay inside: ${p.name.replace('Identity, ', '')}`,
      `${p.about} Two or more in one file that outsiders can reach.`,
      ...byPack(p.id, 'outside', 2),
    ),
  ),
  starter(
    'health-outside',
    'Content',
    'critical',
    'Health data stays inside',
    'What says something of somebody’s health is of a special category (GDPR, article 9).',
    {
      name: 'Medical records and diagnoses within reach of outsiders',
      subject: 'item',
      if: 'could >= partner && (holds("medical-record") || holds("icd-10", {"distinct": 3}))',
      moments: ['share'],
      responses: OUTSIDE,
    },
    {
      name: 'Seafarers’ medical certificates within reach of the organisation',
      subject: 'item',
      if: 'could >= organisation && holds("seafarer-medical")',
    },
  ),
  starter(
    'keys-wide',
    'Content',
    'critical',
    'Keys and secrets are not shared',
    'Whoever can read a key can use it. A team at most should.',
    {
      name: 'Keys within reach of more than a team',
      subject: 'item',
      if: 'could >= wide && holds("pack:keys-and-secrets", {"certainty": "strict"})',
      responses: [{ do: 'quarantine' }, { do: 'finding' }],
    },
  ),
  starter(
    'crew-passports',
    'Content',
    'high',
    'Passports and medical files of crews stay with crewing',
    'Copies of passports are taken for one voyage and left lying about for years.',
    {
      name: 'Passports that outsiders can reach',
      subject: 'item',
      if: 'could >= partner && holds("passport-mrz")',
      moments: ['share'],
      responses: OUTSIDE,
    },
    {
      name: 'Many passports in one place that is wide open inside',
      subject: 'space',
      if: '"Passport or travel document (machine-readable zone)" in types && could >= organisation && heavy >= 10',
    },
  ),
  starter(
    'confidential-outside',
    'Content',
    'high',
    'Confidential files are not shared outside without a pause',
    'A word of caution stops most of what was never meant to leave.',
    {
      name: 'Sharing confidential files outside',
      subject: 'item',
      if: '(label == "confidential" || label == "restricted") && could >= partner',
      atRest: false,
      moments: ['share'],
      responses: [{ do: 'caution', reason: true, text: 'This file is confidential. Does it have to leave?' }],
    },
    {
      name: 'Confidential files that outsiders can reach already',
      subject: 'item',
      if: '(label == "confidential" || label == "restricted") && could >= partner',
    },
  ),
  starter(
    'anyone-heavy',
    'Links',
    'critical',
    'No link for anyone on what is sensitive',
    'Whoever has the link has the file, and links are forwarded.',
    {
      name: 'Links for anyone on heavy files',
      subject: 'link',
      if: 'audience == "anyone" && weight >= 2',
      responses: ANYONE,
    },
  ),
  starter(
    'anyone-edit',
    'Links',
    'high',
    'Nobody unknown edits',
    'A link that lets anyone edit lets anyone delete, too.',
    {
      name: 'Links with which anyone can edit',
      subject: 'link',
      if: 'audience == "anyone" && role == "editor"',
      responses: [{ do: 'narrow', role: 'reader' }, { do: 'finding' }],
    },
  ),
  starter(
    'links-without-end',
    'Links',
    'medium',
    'Links to outside end',
    'Most links are of use for weeks, and open for years.',
    {
      name: 'Links for anyone without an end',
      subject: 'link',
      if: 'audience == "anyone" && !ends',
      responses: [{ do: 'let-end', days: 90 }],
    },
    {
      name: 'Links to named outsiders without an end',
      subject: 'link',
      if: 'audience == "named" && external && !ends',
      responses: [{ do: 'let-end', days: 180 }],
    },
  ),
  starter(
    'links-unused',
    'Links',
    'low',
    'Links that nobody uses are taken away',
    'What nobody has opened for half a year is missed by nobody.',
    {
      name: 'Links not used for half a year',
      subject: 'link',
      if: 'audience != "named" && (lastUsed < taken - duration("4380h") || made < taken - duration("4380h") && !(lastUsed > made))',
      responses: [{ do: 'withdraw' }],
    },
  ),
  starter(
    'organisation-links-heavy',
    'Links',
    'medium',
    'Links for everybody inside, not on what is heavy',
    'A link for the whole organisation is wider than any group.',
    {
      name: 'Links for the organisation on heavy files',
      subject: 'link',
      if: 'audience == "organisation" && weight >= 3',
      responses: [{ do: 'narrow', audience: 'named' }, { do: 'finding' }],
    },
  ),
  starter(
    'view-only',
    'Links',
    'medium',
    'Readers of what is heavy take no copies',
    'Whoever is to read a file need not have it.',
    {
      name: 'Links with which readers could copy heavy files',
      subject: 'link',
      if: 'weight >= 3 && !noCopies && (role == "reader" || role == "commenter")',
      responses: [{ do: 'without-copies' }],
    },
  ),
  starter(
    'guests-without-end',
    'Guests',
    'medium',
    'Guests end',
    'A guest’s account outlives the work that it was made for.',
    {
      name: 'Guests whose account has no end',
      subject: 'identity',
      if: 'kind == "guest" && active && !ends',
      responses: [{ do: 'let-end', days: 180 }],
    },
  ),
  starter(
    'guests-heavy',
    'Guests',
    'high',
    'Guests and what is sensitive',
    'Who from outside reaches most of what is heavy.',
    {
      name: 'Guests and outsiders who reach heavy files',
      subject: 'identity',
      if: 'kind != "member" && active && heavy >= 5',
    },
  ),
  starter(
    'mailboxes',
    'Guests',
    'medium',
    'No personal mailboxes as guests',
    'Who left the partner keeps the mailbox.',
    {
      name: 'Guests with a mailbox that anybody can have',
      subject: 'identity',
      if: 'kind != "member" && active && consumer',
    },
    {
      name: 'Grants to such a mailbox on heavy files',
      subject: 'grant',
      if: 'consumer && weight >= 2',
      responses: [{ do: 'withdraw' }],
    },
  ),
  starter(
    'look-alikes',
    'Guests',
    'critical',
    'Domains that look like ours',
    'Somebody chose such a domain to be taken for one of us.',
    { name: 'People of a domain that looks like ours or a partner’s', subject: 'identity', if: 'lookAlike' },
    {
      name: 'Grants to such a domain',
      subject: 'grant',
      if: 'lookAlike',
      responses: [{ do: 'withdraw' }, { do: 'finding' }],
    },
    {
      name: 'Links to such a domain',
      subject: 'link',
      if: 'lookAlike',
      responses: [{ do: 'withdraw' }, { do: 'finding' }],
    },
  ),
  starter(
    'former-accounts',
    'Guests',
    'low',
    'Grants of those who are gone',
    'An account that is not active any more gets its grants back when it is switched on again.',
    {
      name: 'Grants to accounts that are not active',
      subject: 'grant',
      if: 'kind == "inactive"',
      responses: [{ do: 'withdraw' }],
    },
  ),
  starter(
    'everyone-heavy',
    'Wide access',
    'high',
    'Wide groups and what is heavy',
    'A grant to nearly everybody is a grant to whoever joins tomorrow.',
    {
      name: 'Grants to everyone on heavy files',
      subject: 'grant',
      if: '(kind == "everyone" || kind == "anyone") && weight >= 2',
    },
    {
      name: 'Grants to groups of more than a hundred on heavy files',
      subject: 'grant',
      if: 'kind == "group" && size > 100 && weight >= 3',
      responses: [{ do: 'narrow', role: 'reader' }],
    },
  ),
  starter(
    'groups-with-outsiders',
    'Wide access',
    'high',
    'Groups that outsiders are in',
    'Whoever shares with a group rarely looks who is in it.',
    {
      name: 'Groups with outsiders that reach heavy files',
      subject: 'group',
      if: 'external > 0 && weight >= 2',
    },
  ),
  starter(
    'open-spaces',
    'Spaces',
    'medium',
    'Spaces open to the whole organisation',
    'Open to all is fine for a canteen, and not for payroll.',
    {
      name: 'Open spaces with heavy files',
      subject: 'space',
      if: 'visibility == "organisation" && weight >= 3',
      responses: [{ do: 'set-back', to: { visibility: 'members' } }],
    },
  ),
  starter(
    'editors-share',
    'Spaces',
    'medium',
    'Who may share',
    'Where editors share, access grows by itself.',
    {
      name: 'Heavy spaces in which editors may share',
      subject: 'space',
      if: 'editorsShare && weight >= 3',
      responses: [{ do: 'set-back', to: { editorsShare: false } }],
    },
  ),
  starter(
    'sharing-against-label',
    'Spaces',
    'high',
    'External sharing as the label has it',
    'A space that is labelled confidential does not share with anyone.',
    {
      name: 'Confidential spaces that share outside',
      subject: 'space',
      if: '(label == "confidential" || label == "restricted") && externalSharing != "off" && externalSharing != "existing-guests"',
      responses: [{ do: 'set-back', to: { externalSharing: 'existing-guests' } }],
    },
    {
      name: 'Spaces in which a new link opens for anyone',
      subject: 'space',
      if: 'defaultAudience == "anyone"',
      responses: [{ do: 'set-back', to: { defaultAudience: 'named' } }],
    },
  ),
  starter(
    'owners',
    'Spaces',
    'low',
    'Every space has two owners',
    'With one owner a space is without any on the day that they leave.',
    {
      name: 'Spaces with fewer than two active owners',
      subject: 'space',
      if: 'activeOwners < 2 && kind != "personal-drive" && kind != "mailbox"',
    },
  ),
  starter(
    'label-missing',
    'Housekeeping',
    'low',
    'What is heavy is labelled',
    'A label tells people what rules tell machines.',
    {
      name: 'Heavy spaces without a label',
      subject: 'space',
      if: 'weight >= 3 && label == ""',
      responses: [{ do: 'ask', about: 'charter' }],
    },
  ),
  starter(
    'charters-kept',
    'Spaces',
    'medium',
    'Spaces are as their charter says',
    'A setting that somebody has changed since is what a review finds first.',
    {
      name: 'Settings that differ from the charter',
      subject: 'space',
      if: 'differs.size() > 0',
    },
    {
      name: 'Fewer owners than the charter wants',
      subject: 'space',
      if: 'sensitivity != "" && activeOwners < leastOwners',
    },
  ),
  starter('new-spaces', 'Spaces', 'low', 'New spaces say what they are for', 'Whoever made it still knows.', {
    name: 'Made within a month, without a charter',
    subject: 'space',
    if: 'sensitivity == "" && created > taken - duration("720h") && kind != "personal-drive"',
    responses: [{ do: 'ask', about: 'charter' }],
  }),
  starter(
    'dormant',
    'Housekeeping',
    'low',
    'What lies idle is asked about',
    'Owners say whether it is still needed before anything is archived.',
    {
      name: 'Spaces in which nothing happens any more',
      subject: 'space',
      if: 'dormant && kind != "personal-drive"',
      responses: [{ do: 'ask', about: 'needed' }],
    },
  ),
  starter(
    'dormant-heavy',
    'Housekeeping',
    'medium',
    'What nobody uses is not findable',
    'Heavy and untouched for a year: search and assistants need not offer it.',
    {
      name: 'Heavy spaces untouched for a year',
      subject: 'space',
      if: 'heavy > 0 && modified < taken - duration("8760h") && !dim',
      responses: [{ do: 'dim' }],
    },
  ),
  starter(
    'apps-unused',
    'Apps',
    'medium',
    'Apps that nobody uses are withdrawn',
    'What is not needed is best withdrawn: an app that was let in goes on reading whether it is used or not.',
    {
      name: 'Not used for 90 days',
      subject: 'appGrant',
      if: 'idleDays >= 90 || (idleDays < 0 && granted < taken - duration("2160h"))',
      responses: [{ do: 'withdraw' }],
    },
  ),
  starter(
    'apps-unverified',
    'Apps',
    'high',
    'Apps of nobody who is known read nothing heavy',
    'Whoever publishes such an app has not been verified, and can read what the people who let it in can open.',
    {
      name: 'Not verified, and could read heavy files',
      subject: 'app',
      if: '!verified && heavy > 0',
      responses: [{ do: 'finding' }],
    },
    {
      name: 'Of which something is not known',
      subject: 'app',
      if: 'unknownScopes > 0',
      responses: [{ do: 'finding' }],
    },
  ),
  starter(
    'apps-unapproved',
    'Apps',
    'high',
    'Apps that read much are approved first',
    'Whoever lets in an app that could read heavy files, or mail, is refused until a steward has approved it: they can ask for it.',
    {
      name: 'Could read heavy files or mail, and is not approved',
      subject: 'appGrant',
      if: '!approved && (heavy > 0 || "mail:read" in scopes || unknownScopes > 0)',
      moments: ['consent'],
      responses: [{ do: 'refuse' }, { do: 'finding' }],
    },
  ),
];
