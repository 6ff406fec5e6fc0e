/**
 * Signing in at an identity provider: OpenID Connect Core 1.0 with the authorization code flow, PKCE (RFC 7636), state and
 * nonce. Whoever says who the provider is says who becomes a steward, so that takes two stewards where there are two.
 */
import * as oidc from 'openid-client';
import { checkAddress, checkHost } from '../connectors/address.ts';
import { roleOf, type AccountRole, type SsoSettings } from '../core/roles.ts';
import { SSO_TROUBLE, type SsoTrouble } from '../dto/sso.ts';
import type { SsoState } from '../dto/accounts.ts';
import type { Db } from '../store/db.ts';
import { readSetting, writeSetting } from '../store/settings.ts';
import type { AccountAdmin } from './account-admin.ts';
import { accountOf, type Accounts, type From, type Signed } from './accounts.ts';
import { AppError } from './errors.ts';
import type { Ledger } from './ledger.ts';
import { takeProposal, type Proposal } from './proposals.ts';
import type { Secrets } from './secrets.ts';
import type { Site } from './second-factor.ts';

const SETTING = 'sso';
const PROPOSED = 'sso-proposed';
const ANSWER_MS = 15_000;
/** What the provider says of itself is asked again after so long. */
const KNOWN_MS = 3_600_000;
/** A sign-in that was begun is ended within so long. */
const BEGUN_MS = 10 * 60_000;
const BACK = '/api/session/sso-back';

/** The settings with the provider’s secret, sealed. */
interface Kept {
  settings: SsoSettings;
  secret: string;
}
interface Begun {
  state: string;
  verifier: string;
  nonce: string;
  to: string;
  at: number;
}

const refused = (why: SsoTrouble): AppError => new AppError(`sso-${why}`, 403, SSO_TROUBLE[why]);

export class Sso {
  private kept: Kept | null = null;
  private known: { of: string; at: number; config: Promise<oidc.Configuration> } | undefined;

  constructor(
    private readonly db: Db,
    private readonly ledger: Ledger,
    private readonly secrets: Secrets,
    private readonly accounts: Accounts,
    private readonly admin: AccountAdmin,
    private readonly clock: () => Date,
    /** Addresses of this machine and over plain HTTP are allowed. */
    private readonly localToo = process.env.GATE_LANTERN_LOCAL_SOURCES === '1',
  ) {}

  async readSettings(): Promise<void> {
    this.kept = (await readSetting<Kept | null>(this.db, SETTING)) ?? null;
    this.accounts.passwordOpens = (address) =>
      !this.kept || this.kept.settings.passwords || this.kept.settings.emergency === address;
  }

  /** What the sign-in page shows: null where there is no provider. */
  door(): { name: string; passwords: boolean } | null {
    return this.kept && { name: this.kept.settings.name, passwords: this.kept.settings.passwords };
  }

  /** The address of the account that opens with its password whatever happens. */
  get emergency(): string | null {
    return this.kept?.settings.emergency ?? null;
  }

  async state(): Promise<SsoState> {
    const proposed = await readSetting<(Kept & Proposal) | null>(this.db, PROPOSED);
    return {
      settings: this.kept?.settings ?? null,
      proposed: proposed ? { settings: proposed.settings, by: proposed.by, at: proposed.at } : null,
    };
  }

  /** Sets it where one is the only steward there was; else puts it to another. An absent secret stays. Null: no provider. */
  async set(
    settings: SsoSettings | null,
    secret: string | undefined,
    by: string,
  ): Promise<{ asked: boolean }> {
    if (settings) {
      checkAddress(settings.issuer, this.localToo);
      if (!settings.passwords) await this.mayEndPasswords(settings);
    }
    const sealed = secret ? this.secrets.seal(secret) : this.kept?.secret;
    if (settings && sealed === undefined)
      throw new AppError('no-secret', 422, 'Give the secret that the provider has for this client.');
    const next = settings && { settings, secret: sealed! };
    const asked = await this.db.transaction(async (tx) => {
      // without a provider nobody comes in who did not before
      const wants = next !== null && (await this.admin.hasSecond(tx, by));
      await writeSetting(tx, PROPOSED, wants ? { ...next, by, at: this.clock().toISOString() } : null);
      if (!wants) await writeSetting(tx, SETTING, next);
      await this.ledger.add(
        {
          who: by,
          what: wants ? 'sso.asked' : 'sso.set',
          subject: 'single sign-on',
          before: this.kept?.settings,
          after: settings,
        },
        tx,
      );
      return wants;
    });
    await this.readSettings();
    return { asked };
  }

  /** What a demo brings; what was chosen since stays but for the address. */
  async seed(settings: SsoSettings, secret: string): Promise<void> {
    const chosen = this.kept && { ...this.kept.settings, issuer: settings.issuer };
    await writeSetting(this.db, SETTING, { settings: chosen ?? settings, secret: this.secrets.seal(secret) });
    await this.readSettings();
  }

  /** What another steward says of what is proposed. */
  async decide(approved: boolean, at: string, by: string): Promise<void> {
    await this.db.transaction(async (tx) => {
      const proposed = await takeProposal<Kept & Proposal>(
        tx,
        PROPOSED,
        { approved, at, by },
        {
          gone: 'This is not proposed any more. Look at it again.',
          own: 'Whoever proposed this cannot approve it: another steward has to.',
        },
      );
      const { settings, secret } = proposed;
      if (approved) await writeSetting(tx, SETTING, { settings, secret });
      await this.ledger.add(
        {
          who: by,
          what: approved ? 'sso.set' : 'sso.refused',
          subject: 'single sign-on',
          after: { ...settings, proposedBy: proposed.by },
        },
        tx,
      );
    });
    await this.readSettings();
  }

  /** Passwords end only where the provider was seen to work, and one steward can still come in when it does not. */
  private async mayEndPasswords({ issuer, emergency }: SsoSettings): Promise<void> {
    const [can] = await this.db.query<{ worked: boolean; emergency: boolean }>(
      `select exists (select 1 from account where starts_with(subject, $1 || ' ') and signed_in_at is not null) as worked,
         exists (select 1 from account where address = $2 and role = 'steward' and active and held is null and password_hash is not null) as emergency`,
      [issuer, emergency],
    );
    if (!can!.emergency)
      throw new AppError(
        'no-emergency',
        422,
        'Name the account of a steward with a password, who can still sign in when the provider cannot be reached.',
      );
    if (!can!.worked)
      throw new AppError(
        'not-seen',
        422,
        'Nobody has signed in through this provider yet. Try it first, then end passwords.',
      );
  }

  private config(): Promise<oidc.Configuration> {
    const { kept } = this;
    if (!kept) throw refused('none');
    const of = JSON.stringify([kept.settings.issuer, kept.settings.clientId, kept.secret]);
    const now = this.clock().getTime();
    if (this.known?.of !== of || now - this.known.at > KNOWN_MS) {
      const config = oidc.discovery(
        new URL(kept.settings.issuer),
        kept.settings.clientId,
        this.secrets.open(kept.secret),
        undefined,
        {
          timeout: ANSWER_MS / 1000,

          execute: [oidc.enableNonRepudiationChecks, ...(this.localToo ? [oidc.allowInsecureRequests] : [])],
          [oidc.customFetch]: (url, init) => this.fetch(url, init as RequestInit),
        },
      );
      config.catch(() => (this.known = undefined));
      this.known = { of, at: now, config };
    }
    return this.known.config;
  }

  /** What the provider names is asked only where a source might be, too. */
  private async fetch(url: string, init: RequestInit): Promise<Response> {
    const { origin, pathname } = new URL(url);
    checkAddress(origin + pathname, this.localToo);
    if (!this.localToo) await checkHost(url);
    return fetch(url, { ...init, redirect: 'manual' });
  }

  /** Where the browser goes, and what it keeps until it is back, sealed. */
  async begin(site: Site, to: string): Promise<{ url: URL; begun: string }> {
    const config = await this.config().catch(() => {
      throw refused('unreachable');
    });
    const begun: Begun = {
      state: oidc.randomState(),
      verifier: oidc.randomPKCECodeVerifier(),
      nonce: oidc.randomNonce(),
      to,
      at: this.clock().getTime(),
    };
    const url = oidc.buildAuthorizationUrl(config, {
      redirect_uri: site.origin + BACK,
      scope: 'openid email profile',
      code_challenge: await oidc.calculatePKCECodeChallenge(begun.verifier),
      code_challenge_method: 'S256',
      state: begun.state,
      nonce: begun.nonce,
    });
    return { url, begun: this.secrets.seal(JSON.stringify(begun)) };
  }

  /** Ends what was begun, with what the provider sent the browser back with. */
  async back(
    site: Site,
    search: string,
    sealed: string | undefined,
    from: From,
  ): Promise<Signed & { to: string }> {
    const begun = this.begunOf(sealed);
    const claims = await this.claimsOf(site, search, begun);
    const settings = this.kept!.settings;
    const said = claims[settings.claim];
    const values = (Array.isArray(said) ? said : [said]).filter((v) => typeof v === 'string');
    const signed = await this.db.transaction(async (tx) => {
      const account = await this.accountFor(tx, claims, roleOf(settings, values));
      return this.accounts.open(tx, account, from, { known: false, strong: true, by: 'single sign-on' });
    });
    this.accounts.forget(signed.account.id);
    return { ...signed, to: begun.to };
  }

  private begunOf(sealed: string | undefined): Begun {
    let begun: Begun | undefined;
    try {
      begun = JSON.parse(this.secrets.open(sealed ?? '')) as Begun;
    } catch {
      // none, or not ours
    }
    if (!begun || this.clock().getTime() - begun.at > BEGUN_MS) throw refused('begun');
    return begun;
  }

  private async claimsOf(site: Site, search: string, begun: Begun): Promise<oidc.IDToken> {
    try {
      const tokens = await oidc.authorizationCodeGrant(
        await this.config(),
        new URL(site.origin + BACK + search),
        {
          pkceCodeVerifier: begun.verifier,
          expectedState: begun.state,
          expectedNonce: begun.nonce,
          idTokenExpected: true,
        },
      );
      return tokens.claims()!;
    } catch (e) {
      const { error } = e as { error?: string };
      throw refused(error === 'access_denied' ? 'denied' : 'answer');
    }
  }

  /** The account of whoever the provider says it is; made where there is none and that is wanted. */
  private async accountFor(tx: Db, claims: oidc.IDToken, role: AccountRole | null) {
    const { settings } = this.kept!;
    const subject = `${claims.iss} ${claims.sub}`;
    const address =
      typeof claims.email === 'string' && claims.email_verified === true
        ? claims.email.toLowerCase()
        : undefined;
    const name = typeof claims.name === 'string' ? claims.name.slice(0, 200) : (address ?? claims.sub);
    const find = async (where: 'subject' | 'address', value: string) =>
      (
        await tx.query<Parameters<typeof accountOf>[0] & { active: boolean; subject: string | null }>(
          where === 'subject'
            ? 'select * from account where subject = $1'
            : 'select * from account where address = $1',
          [value],
        )
      )[0];
    let row = await find('subject', subject);
    if (!row && address) {
      row = await find('address', address);
      if (row?.subject) throw refused('other');
      // the provider says that the address is theirs: this is the same person
      if (row) await tx.query('update account set subject = $2 where id = $1', [row.id, subject]);
    }
    const emergency = row !== undefined && row.address === settings.emergency;
    if (!role && !emergency) throw refused('role');
    if (!row) {
      if (!settings.makes) throw refused('account');
      if (!address) throw refused('address');
      await tx.query(
        "insert into account (name, address, role, created_at, subject, was_steward) values ($1, $2, $3, $4, $5, $3 = 'steward')",
        [name, address, role, this.clock(), subject],
      );
      await this.ledger.add(
        { who: 'single sign-on', what: 'account.made', subject: address, after: { name, role } },
        tx,
      );
      row = (await find('subject', subject))!;
    }
    if (!row.active) throw refused('disabled');
    if (role && role !== row.role && !emergency && settings.roles.length)
      row.role = (await this.admin.follow(tx, row, role, 'single sign-on')) ? role : row.role;
    return accountOf(row);
  }
}
