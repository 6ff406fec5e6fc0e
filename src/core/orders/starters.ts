/** Standing orders to begin with. Groups, people and policies in them are examples: they are set before an order is switched on. */
import type { Severity } from '../exposure/exposure.ts';
import { PATTERN_STARTERS } from '../guard/patterns.ts';
import type { MessageTo } from '../guard/schema.ts';
import type { AnswerName, Order, Step, When } from './schema.ts';

const SHARES = ['file.shared', 'grant.made', 'link.made'] as const;
const [BURST, DOWNLOADS, , , FIRST_DOMAIN, , GUEST_MANAGER, OPENED_WIDER, REFUSED, BY_NIGHT] =
  PATTERN_STARTERS.map((p) => p.name);

const wait = (time: string): Step => ({ do: 'wait', for: time });
const still: Step = { do: 'look', still: true };
const withdraw: Step = { do: 'change', about: 'share', response: { do: 'withdraw' } };
const tell = (to: MessageTo[], subject: string, text: string, gathered = false): Step => ({
  do: 'tell',
  to,
  subject,
  text,
  ...(gathered && { gathered: true }),
});
const ask = (
  to: MessageTo[],
  subject: string,
  text: string,
  answers: AnswerName[],
  within: string,
  remind?: string,
): Step => ({
  do: 'ask',
  to,
  subject,
  text,
  answers,
  within,
  ...(remind && { remind }),
});
const ifNobody = (then: Step[], rest: Step[] = []): Step => ({
  do: 'branch',
  on: { answer: ['none'] },
  then,
  else: rest,
});
const SHARER: MessageTo[] = [{ actor: true }];
const STEWARDS: MessageTo[] = [{ stewards: true }];
const OWNER: MessageTo[] = [{ owner: true }];

/** What happened, in one sentence of a message. */
const HAPPENED =
  'on {{ event.at }} {{ actor.name }} {{ event.told }}{% if thing.path != "" %}, in {{ thing.path }}{% endif %}.{% if thing.types != "" %} It holds {{ thing.types }}.{% endif %}';
const ABOUT =
  'Where it lies: {{ thing.path }}\nWhat it holds: {{ thing.types }}\nWho did it: {{ actor.name }}, {{ actor.department }}\n\n{{ run.link }}';

const order = (
  name: string,
  purpose: string,
  severity: Severity,
  when: When,
  condition: string | undefined,
  ...steps: Step[]
): Order => ({
  format: 'gate-lantern-order',
  version: 1,
  name,
  purpose,
  severity,
  on: true,
  when,
  ...(condition && { if: condition }),
  steps,
});
const daily = (
  subject: Extract<When, { rhythm: string }>['subject'],
  date?: { field: string; before: string },
): When => ({
  subject,
  rhythm: 'FREQ=DAILY;BYHOUR=6;BYMINUTE=0',
  ...(date && { date }),
});

export const ORDER_STARTERS: readonly Order[] = [
  order(
    'Shared outside by some groups: four weeks',
    'What Finance, Sales or Marketing share outside is withdrawn after four weeks, if it still is shared by then.',
    'medium',
    { event: [...SHARES] },
    'outside && groups.exists(g, g in ["Finance", "Sales", "Marketing"])',
    wait('P4W'),
    still,
    withdraw,
    tell(
      [{ actor: true }, { group: 'Security' }],
      '“{{ thing.name }}” is not shared with {{ target.name }} any more',
      `Hello {{ reader.name }},\n\n${HAPPENED}\nAfter four weeks such shares end. {{ change.did }}\n\nIf it is still needed, share it again: that is noted, and nobody has to be asked.`,
    ),
  ),
  order(
    'A key in a channel',
    'The security team’s channel is told at once when a file that keys are kept in is put into a channel.',
    'critical',
    { event: ['file.uploaded', 'file.shared'] },
    'extension in ["pem", "key", "ppk", "pfx", "p12", "jks", "kdbx"] || types.exists(t, t.contains("key"))',
    tell(
      [{ channel: 'security' }, ...STEWARDS],
      'Key material: {{ thing.name }}',
      `{{ actor.name }} has put “{{ thing.name }}” into {{ thing.path }}.\nWhoever is there can use the key. Replace it, then take the file away.\n\n{{ run.link }}`,
    ),
  ),
  order(
    'A link for anyone on a heavy file',
    'Whoever makes one is asked for a reason. If none comes within three days, the link is withdrawn.',
    'high',
    { event: ['link.made', 'file.shared', 'grant.made'] },
    'target == "anyone" && weight >= 2',
    ask(
      SHARER,
      'Why is “{{ thing.name }}” open to anyone?',
      `Hello {{ reader.name }},\n\n${HAPPENED}\nWhoever has the link can open it, and pass it on.\n\nPlease say why it is needed, or undo it, until {{ answer.until }}. If you do neither, the link is withdrawn.\n\n{{ answer.link }}`,
      ['reason', 'undo', 'not-me'],
      'P3D',
      'P1D',
    ),
    ifNobody(
      [
        still,
        withdraw,
        tell(
          SHARER,
          'The link to “{{ thing.name }}” was withdrawn',
          'Hello {{ reader.name }},\n\nnobody has said why it was needed. {{ change.did }}',
        ),
      ],
      [
        {
          do: 'branch',
          on: { answer: ['not-me'] },
          then: [tell(STEWARDS, '{{ actor.name }} says: it was not me', `${ABOUT}`)],
          else: [],
        },
      ],
    ),
  ),
  order(
    'Guests who have not been here for 60 days',
    'Whoever shares most with a guest is asked whether they are still needed. If not, or if nobody answers in two weeks, they lose access.',
    'medium',
    daily('identity'),
    'kind != "member" && active && idleDays >= 60 && grants > 0',
    ask(
      [{ sponsor: true }],
      'Does {{ thing.name }} still need access?',
      'Hello {{ reader.name }},\n\n{{ thing.name }} ({{ thing.path }}) has opened nothing for 60 days, and can still open what you and others shared.\n\nSay until {{ answer.until }} whether they keep it:\n\n{{ answer.link }}',
      ['keep', 'until', 'remove'],
      'P2W',
      'P5D',
    ),
    ifNobody([
      { do: 'change', about: 'thing', response: { do: 'withdraw-outside' } },
      tell(STEWARDS, '{{ thing.name }} has lost access', '{{ change.did }}\n\n{{ run.link }}', true),
    ]),
  ),
  order(
    'Leavers',
    'What somebody owns who has left goes to their manager, who is told.',
    'medium',
    daily('identity'),
    'kind == "member" && !active && files > 0',
    { do: 'change', about: 'thing', response: { do: 'hand-over' } },
    tell(
      [{ manager: true }],
      'What {{ thing.name }} owned is yours now',
      'Hello {{ reader.name }},\n\n{{ thing.name }} has left. {{ change.did }}\n\nLook through it in the coming weeks: what nobody needs can be deleted.',
    ),
  ),
  order(
    'Much shared outside at once',
    'Sharing by that person is suspended until a steward has looked; the stewards and their manager are told.',
    'critical',
    { signal: BURST! },
    undefined,
    { do: 'suspend-sharing', about: 'actor' },
    tell(
      STEWARDS,
      '{{ actor.name }} shares much outside: sharing is suspended',
      '{{ signal.events }} events; the files:\n{{ signal.files }}\n\n{{ change.did }} Look at it, then let them share again or go on:\n{{ run.link }}',
    ),
    tell(
      [{ manager: true }],
      'Sharing by {{ actor.name }} is suspended',
      'Hello {{ reader.name }},\n\n{{ actor.name }} has shared many files outside within a short time. Until somebody has looked at it they can share nothing more. The stewards will be in touch.',
    ),
  ),
  order(
    'Much downloaded at once',
    'The stewards are told, and whoever did it is asked for a reason.',
    'high',
    { signal: DOWNLOADS! },
    undefined,
    tell(
      STEWARDS,
      '{{ actor.name }} downloads much',
      '{{ signal.events }} events; the files:\n{{ signal.files }}\n\n{{ run.link }}',
    ),
    ask(
      SHARER,
      'You downloaded many files',
      'Hello {{ reader.name }},\n\n{{ signal.events }} downloads by your account within a short time stood out, among them:\n{{ signal.files }}\n\nWas that you, and what for?\n{{ answer.link }}',
      ['reason', 'not-me'],
      'P2D',
    ),
    ifNobody([
      tell(
        [{ manager: true }, ...STEWARDS],
        'No answer from {{ actor.name }} about many downloads',
        '{{ signal.files }}',
      ),
    ]),
  ),
  order(
    'A new space',
    'Its owner is asked whether outsiders are meant to come in.',
    'low',
    daily('space'),
    'created > taken - duration("48h") && externalSharing != "off" && kind != "personal-drive" && kind != "mailbox"',
    ask(
      OWNER,
      'What is “{{ thing.name }}” for?',
      'Hello {{ reader.name }},\n\n“{{ thing.name }}” is new, and can be shared with people outside. Say what it is for, and whether that is meant:\n{{ answer.link }}',
      ['reason', 'remove'],
      'P2W',
      'P1W',
    ),
  ),
  order(
    'Restricted, and reached from outside',
    'Outside access to what is labelled Restricted is withdrawn at once, and the owner is told.',
    'high',
    daily('item'),
    'label == "Restricted" && external > 0',
    { do: 'change', about: 'thing', response: { do: 'withdraw-outside' } },
    tell(
      OWNER,
      'Outside access to “{{ thing.name }}” was withdrawn',
      'Hello {{ reader.name }},\n\nit is labelled Restricted, and people outside could open it. {{ change.did }}\n\nIf they have to, change the label first.',
    ),
  ),
  order(
    'An app let into mail',
    'The stewards are told of every app that somebody lets in with access to their mail.',
    'high',
    { event: ['app.consented'] },
    'detail.contains("mail")',
    tell(
      STEWARDS,
      '{{ actor.name }} let an app into their mail',
      '{{ event.at }}: {{ actor.name }}, {{ actor.department }}.\n\n{{ run.link }}',
    ),
  ),
  order(
    'Access of a guest comes to its end',
    'Two weeks before, whoever shares most with them is asked.',
    'low',
    daily('identity', { field: 'expires', before: 'P14D' }),
    'kind == "guest"',
    ask(
      [{ sponsor: true }],
      'The account of {{ thing.name }} ends soon',
      'Hello {{ reader.name }},\n\nthe account of {{ thing.name }} ends in two weeks. Shall it?\n{{ answer.link }}',
      ['keep', 'until', 'remove'],
      'P10D',
      'P4D',
    ),
    {
      do: 'branch',
      on: { answer: ['keep', 'until'] },
      then: [
        tell(
          STEWARDS,
          '{{ thing.name }} should stay longer',
          '{{ answer.by }}: {{ answer.said }}\n\n{{ run.link }}',
          true,
        ),
      ],
      else: [],
    },
  ),
  order(
    'First share with a domain',
    'Whoever shares with a domain that was never seen is told what to mind; the stewards get it in their digest.',
    'low',
    { signal: FIRST_DOMAIN! },
    undefined,
    tell(
      SHARER,
      'You share with {{ target.domain }} for the first time',
      `Hello {{ reader.name }},\n\n${HAPPENED}\nNobody here has shared anything with {{ target.domain }} before. If it is a customer or supplier, nothing more is to be done. If you mistyped, take it back now.`,
    ),
    tell(STEWARDS, 'New domain: {{ target.domain }}', `${ABOUT}`, true),
  ),
  order(
    'Sent to a mailbox of one’s own',
    'Files shared with a personal mailbox are asked about, and withdrawn after a week.',
    'medium',
    { event: [...SHARES] },
    'outside && weight >= 2 && domain.matches("(?i)(mail|post|box)")',
    ask(
      SHARER,
      'Is “{{ thing.name }}” meant for a private mailbox?',
      `Hello {{ reader.name }},\n\n${HAPPENED}\nIt seems to be a private mailbox. Undo it, or say why:\n{{ answer.link }}`,
      ['undo', 'reason', 'not-me'],
      'P7D',
      'P3D',
    ),
    ifNobody([still, withdraw]),
  ),
  order(
    'A guest made manager',
    'Narrowed to editor at once; the owner and the stewards are told.',
    'high',
    { signal: GUEST_MANAGER! },
    undefined,
    { do: 'change', about: 'share', response: { do: 'narrow', role: 'editor' } },
    tell(
      [...OWNER, ...STEWARDS],
      '{{ target.name }} was made manager of “{{ thing.name }}”',
      `By {{ actor.name }}, {{ event.at }}. Managers decide who else comes in. {{ change.did }}\n\n{{ run.link }}`,
    ),
  ),
  order(
    'A space opened wider',
    'Its owner is asked whether that was meant.',
    'medium',
    { signal: OPENED_WIDER! },
    undefined,
    ask(
      OWNER,
      '“{{ thing.name }}” was opened wider',
      'Hello {{ reader.name }},\n\n{{ event.at }}, {{ actor.name }} changed who may come into “{{ thing.name }}”. Was that meant?\n{{ answer.link }}',
      ['keep', 'reason', 'not-me'],
      'P3D',
      'P1D',
    ),
    ifNobody([tell(STEWARDS, 'Nobody answers for “{{ thing.name }}”', `${ABOUT}`)]),
  ),
  order(
    'Refused again and again',
    'Whoever it is gets a hint and a person to ask, on a working day.',
    'low',
    { signal: REFUSED! },
    undefined,
    { do: 'wait', until: { hour: 9 } },
    tell(
      SHARER,
      'Something you need is refused',
      'Hello {{ reader.name }},\n\nwhat you tried was refused several times. If your work needs it, answer to this mail: there is mostly a way, and asking is quicker than trying.',
    ),
  ),
  order(
    'Much by night from a private device',
    'The stewards and the manager look at it in the morning.',
    'medium',
    { signal: BY_NIGHT! },
    undefined,
    { do: 'wait', until: { hour: 8 } },
    tell(
      [...STEWARDS, { manager: true }],
      '{{ actor.name }} has opened much by night',
      '{{ signal.files }}\n\n{{ run.link }}',
    ),
  ),
  order(
    'A guest added to a heavy space',
    'The owner of the space is told who was added, and by whom.',
    'low',
    { event: ['guest.added', 'member.added'] },
    'outside && weight >= 2',
    tell(
      OWNER,
      '{{ target.name }} was added to “{{ thing.name }}”',
      'Hello {{ reader.name }},\n\n{{ event.at }}, {{ actor.name }} added {{ target.name }}. What lies there: {{ thing.types }}.\n\nIf you do not know them, take them out, or answer to this mail.',
      true,
    ),
  ),
  order(
    'A label taken off',
    'Whoever takes a label off a heavy file is asked why.',
    'medium',
    { event: ['label.set'] },
    'label == "" && weight >= 3',
    ask(
      SHARER,
      'Why has “{{ thing.name }}” no label any more?',
      'Hello {{ reader.name }},\n\n{% if thing.types != "" %}it holds {{ thing.types }}. {% endif %}With the label its protection went.\n{{ answer.link }}',
      ['reason', 'not-me'],
      'P2D',
    ),
    ifNobody([tell(OWNER, '“{{ thing.name }}” has lost its label', 'By {{ actor.name }}, {{ event.at }}.')]),
  ),
  order(
    'Links for anyone that nobody has used for half a year',
    'They end after two weeks; whoever owns the file is told before.',
    'low',
    daily('link'),
    'audience == "anyone" && made < taken - duration("4320h") && lastUsed < taken - duration("4320h")',
    tell(
      OWNER,
      'An old link to “{{ thing.name }}” will end',
      'Hello {{ reader.name }},\n\na link for anyone to “{{ thing.name }}” has not been used for half a year. It ends in two weeks. If it is needed, make a new one.',
      true,
    ),
    wait('P2W'),
    { do: 'look', if: 'audience == "anyone" && lastUsed < taken - duration("4320h")' },
    { do: 'change', about: 'thing', response: { do: 'withdraw' } },
  ),
  order(
    'Spaces without an active owner',
    'The stewards get a list in their digest, once a day.',
    'low',
    daily('space'),
    'activeOwners == 0 && files > 0 && kind != "personal-drive" && kind != "mailbox"',
    tell(
      STEWARDS,
      '“{{ thing.name }}” has no owner',
      'Nobody who owns it is active. Make somebody its owner.\n\n{{ run.link }}',
      true,
    ),
    wait('P30D'),
  ),
  order(
    'Shared again after a notice',
    'At the third time within 30 days the manager is told; before that, whoever shares is.',
    'medium',
    { event: [...SHARES] },
    'outside && weight >= 3 && !partner',
    tell(
      SHARER,
      '“{{ thing.name }}” should not go outside',
      `Hello {{ reader.name }},\n\n${HAPPENED}\n\n{% if event.times == 1 %}Share such things through the partner area: there they are protected.{% elsif event.times == 2 %}This is the second time within 30 days. If you cannot do otherwise, ask the stewards how.{% else %}This is the {{ event.times }}th time within 30 days, so your manager is told too.{% endif %}`,
    ),
    wait('P1D'),
    {
      do: 'branch',
      on: { still: true },
      then: [
        tell(
          [{ manager: true }],
          '{{ actor.name }} shares heavy files outside',
          `Hello {{ reader.name }},\n\n${HAPPENED} A day later it still is.`,
        ),
      ],
      else: [],
    },
  ),
];
