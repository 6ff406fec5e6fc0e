/**
 * What policies did in the demo's past: made from starters, tried, marked, piloted, and asked by workspaces before somebody
 * shares something. What they change is the end of some guests' accounts, nothing else.
 */
import { STARTERS } from '../src/core/guard/starters.ts';
import type { Mode, Policy } from '../src/core/guard/schema.ts';
import type { World } from './builder.ts';

/** The application as a steward asks it. */
export interface Asker {
  ask<T>(method: 'GET' | 'POST' | 'PUT', path: string, body?: object): Promise<T>;
  until(what: string, holds: () => Promise<boolean>): Promise<void>;
  agreed(plan: number, waits: boolean): Promise<void>;
}
/** Where workspaces ask for decisions, and each one's token. */
export interface Deciding {
  app: string;
  tokens: Readonly<Record<string, string>>;
}
interface Kept {
  id: number;
  name: string;
  version: number;
  lastRun: string | null;
  policy: Policy;
}

const starter = (id: string): Policy => STARTERS.find((s) => s.id === id)!.policy;
const withModes = (policy: Policy, modes: Record<string, Mode>): Policy => ({
  ...policy,
  rules: policy.rules.map((r) => ({ ...r, mode: modes[r.id] ?? r.mode })),
});

export class PolicyStory {
  constructor(
    private readonly steward: Asker,
    private readonly world: World,
    private readonly deciding: Deciding,
  ) {}

  /** What is done after the survey of so many weeks ago. */
  async week(week: number): Promise<void> {
    if (week === 9) {
      await this.make('cards-outside', 'The card holder’s office asks for it.');
      await this.make('anyone-heavy', 'To see how many there are.');
    }
    if (week === 8) await this.make('guests-without-end', 'Guests of last year’s refit are still here.');
    if (week === 7) {
      await this.make('confidential-outside', 'Agreed with Legal.');
      await this.mark('Card numbers stay inside', 'r1');
    }
    if (week === 6) {
      await this.change(
        'Confidential files are not shared outside without a pause',
        'Tried for a week: a handful of people, and they agree.',
        (p) => withModes(p, { r1: 'enforce' }),
      );
      await this.change('Card numbers stay inside', 'A sample of it was right, all of it.', (p) => ({
        ...p,
        rules: [
          ...p.rules.map(({ moments: _, ...r }) => ({
            ...r,
            responses: r.responses.filter((x) => x.do !== 'refuse'),
          })),
          {
            ...p.rules[0]!,
            id: 'r2',
            name: 'Sharing card numbers outside',
            atRest: undefined,
            moments: ['share' as const],
            mode: 'enforce' as const,
            responses: [
              {
                do: 'refuse' as const,
                text: 'There are card numbers in this file. The claims desk sends them by the portal.',
              },
            ],
          },
        ],
      }));
    }
    if (week === 5)
      await this.change('Guests end', 'With a tenth of the people first.', (p) => ({
        ...withModes(p, { r1: 'enforce' }),
        scope: { pilot: { share: PILOT, salt: 'spring' } },
      }));
    if (week === 4) await this.makeOwn();
    if (week === 3) await this.approveApps();
    if (week === 2) await this.askForApps();
    await this.judged();
    if (week === 5) await this.letBegin('Guests end');
    if (week <= 6) await this.share(week);
  }

  /** The second steward agrees to what a policy is about to do. */
  private async letBegin(name: string): Promise<void> {
    const { id } = await this.named(name);
    const { rows } = await this.steward.ask<{ rows: { id: number; policy: number | null; state: string }[] }>(
      'GET',
      '/api/plans',
    );
    const plan = rows.find((p) => p.policy === id && p.state === 'asked');
    if (plan) await this.steward.agreed(plan.id, true);
  }

  private async named(name: string): Promise<Kept> {
    const all = await this.steward.ask<Kept[]>('GET', '/api/policies');
    const { id } = all.find((p) => p.name === name)!;
    return this.steward.ask<Kept>('GET', `/api/policies/${id}`);
  }

  private async make(id: string, note: string): Promise<void> {
    await this.steward.ask('POST', '/api/policies', { policy: starter(id), note });
    await this.judged();
  }

  /** From now on apps that read much are approved first; two that many use are. */
  private async approveApps(): Promise<void> {
    const policy = starter('apps-unapproved');
    await this.steward.ask('POST', '/api/policies', {
      policy: {
        ...policy,
        // what was let in before stays as it is
        rules: policy.rules.map(({ atRest: _, ...r }) => ({
          ...r,
          mode: 'enforce' as const,
          responses: r.responses.filter((x) => x.do === 'refuse'),
        })),
      },
      note: 'Announced to everybody last week.',
    });
    for (const [app, scopes, until] of [
      ['drives:spelling-help.drives', ['files:read:own'], '2027-12-31'],
      ['drives:travel-desk.drives', ['calendar:read', 'mail:read'], null],
    ] as const)
      await this.steward.ask('PUT', '/api/apps/approvals', {
        ...{ app, approved: true, groups: [], scopes, until },
        reason: 'Looked at with Information Security; many people use it for their work.',
      });
  }

  /** Two people are refused an app and ask for it: one waits for an answer. */
  private async askForApps(): Promise<void> {
    const staff = this.world.users.filter((u) => STAFF.includes(u.title as string));
    const ask = (n: number, app: string, scopes: string[], reason: string): Promise<void> =>
      this.evaluate('drives', {
        subject: { type: 'user', id: staff[n]!.id },
        action: { name: 'consent' },
        resource: { type: 'app', id: app },
        context: { access: 'checked', scopes, asks: { reason } },
      });
    await ask(3, 'harbour-blocks.drives', ['mail:read'], 'It is fun, and it wants to invite friends.');
    await ask(
      8,
      'any-format.drives',
      ['files:read:own', 'files:write:own'],
      'The yard sends drawings in formats that nothing here opens.',
    );
    const { requests } = await this.steward.ask<{ requests: { id: number; app: string }[] }>(
      'GET',
      '/api/apps/approvals',
    );
    await this.steward.ask('POST', '/api/apps/approvals', {
      ...{ id: requests.find((r) => r.app.includes('harbour-blocks'))!.id, approved: false, groups: [] },
      ...{ until: null, answer: 'A game needs nobody’s mail.' },
    });
  }

  /** A policy that nobody shipped: it opens findings of what stands open in Finance. */
  private async makeOwn(): Promise<void> {
    const policy: Policy = {
      format: 'gate-lantern-policy',
      version: 1,
      name: 'What Finance shares by link',
      purpose: 'Finance sends by link what auditors need, and forgets the link.',
      scope: { include: { units: ['Finance'] } },
      rules: [
        {
          id: 'r1',
          name: 'Links of Finance that lead outside without an end',
          subject: 'link',
          atRest: true,
          if: 'external && !ends',
          mode: 'enforce',
          severity: 'medium',
          responses: [{ do: 'finding' }],
        },
      ],
    };
    await this.steward.ask('POST', '/api/policies', { policy, note: 'Findings alone: nothing is closed.' });
  }

  private async change(name: string, note: string, to: (policy: Policy) => Policy): Promise<void> {
    const { id, version, policy } = await this.named(name);
    await this.steward.ask('PUT', `/api/policies/${id}`, { policy: to(policy), version, note });
  }

  /** Looks at a sample of what a rule hits, and calls all of it right. */
  private async mark(name: string, rule: string): Promise<void> {
    const { id } = await this.named(name);
    const { rows } = await this.steward.ask<{ rows: { key: string; certainty: number | null }[] }>(
      'GET',
      `/api/policies/marks?id=${id}&rule=${rule}`,
    );
    for (const { key, certainty } of rows)
      await this.steward.ask('PUT', '/api/policies/marks', { id, rule, key, certainty, right: true });
  }

  /** Resolves when all were judged as they are, on the last survey. */
  private judged(): Promise<void> {
    return this.steward.until('policies to be judged', async () => {
      const surveys = await this.steward.ask<{ id: number; kind: string }[]>('GET', '/api/surveys');
      const survey = Math.max(...surveys.map((s) => s.id));
      const all = await this.steward.ask<Kept[]>('GET', '/api/policies');
      const pages = await Promise.all(
        all.map((p) =>
          this.steward.ask<{ runs: { version: number; survey: number }[] }>('GET', `/api/policies/${p.id}`),
        ),
      );
      return all.every((p, n) => pages[n]!.runs.some((r) => r.version === p.version && r.survey === survey));
    });
  }

  /**
   * People are about to share what they should not with firms: what is confidential, where some go on after a caution and some
   * leave it, and what holds card numbers, where nobody does.
   */
  private async share(week: number): Promise<void> {
    const { items, spaces, flaws, users } = this.world;
    const cards = new Set(
      flaws.filter((f) => f.expected.dataType === 'payment-card').flatMap((f) => f.items),
    );
    const files = items.filter((i) => i.kind === 'file' && (i.label === 'confidential' || cards.has(i.id)));
    const staff = users.filter((u) => STAFF.includes(u.title as string));
    for (let n = 0; n < 4; n++) {
      const file = files[(week * 5 + n * 3) % files.length]!;
      const { workspace } = spaces.find((s) => s.id === file.space)!;
      const question = {
        subject: { type: 'user', id: file.owner ?? staff[(week * 11 + n * 7) % staff.length]!.id },
        action: { name: 'share' },
        resource: { type: 'file', id: file.id },
        context: {
          target: { email: FIRMS[(week + n) % FIRMS.length] },
          role: 'reader',
          access: 'checked',
        },
      };
      await this.evaluate(workspace, question);
      if (n === 1)
        await this.evaluate(workspace, {
          ...question,
          context: { ...question.context, goesOn: { reason: 'They audit our accounts.' } },
        });
    }
  }

  private async evaluate(workspace: string, question: object): Promise<void> {
    const answer = await fetch(`${this.deciding.app}/access/v1/evaluation`, {
      method: 'POST',
      headers: {
        authorization: `Bearer ${this.deciding.tokens[workspace]}`,
        'content-type': 'application/json',
      },
      body: JSON.stringify(question),
    });
    if (!answer.ok) throw new Error(`evaluation: ${answer.status} ${await answer.text()}`);
  }
}

const PILOT = 0.1;
/** As their titles have it. */
const STAFF = ['Sales', 'Finance'];
const FIRMS = ['audit@northquay-advisers.test', 'desk@harbourcount.example', 'office@ledgerline.test'];
