/** The far side: pages on which one acts as any person of the organisation. It is for trying, and looks like it. */
import { appsFor, consent, scopesOf } from './apps.ts';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { escapeHtml } from '../../src/core/html.ts';
import type { Row } from '../state.ts';
import { state } from '../world.ts';
import { act, ACTS, addressesOf, type Act, type Outcome, type Person, type Sharing } from './act.ts';
import { isSpace, may } from './permissions.ts';

/** Names are whatever people write. */
const text = (t: unknown): string => escapeHtml(typeof t === 'string' ? t : '');
const at = (row: Row): string => `/far/${isSpace(row) ? 'space' : 'item'}/${encodeURIComponent(row.id)}`;

const STYLE = `body{font:16px/1.5 sans-serif;margin:0;color:#222;background:#fff}header{background:#eee;border-bottom:2px solid #999;
padding:.6rem 1.2rem;display:flex;gap:1.2rem;align-items:baseline;flex-wrap:wrap}main{padding:1.2rem;max-width:60rem}
small{color:#555}li{margin:.2rem 0}form{display:inline}fieldset{margin:1rem 0;border:1px solid #999;padding:.6rem 1rem}
button{font:inherit;padding:.2rem .8rem;margin-right:.4rem}input,select{font:inherit}.no,.look{border:2px solid #a00;padding:.6rem 1rem;margin:1rem 0}
.look{border-color:#a60}.yes{border:2px solid #060;padding:.6rem 1rem;margin:1rem 0}pre{white-space:pre-wrap;background:#f6f6f6;padding:1rem;max-height:24rem;overflow:auto}`;

function page(
  res: ServerResponse,
  status: number,
  who: Person | undefined,
  title: string,
  body: string,
): void {
  const user = who && state.rows.users.get(who.user);
  const as = user
    ? `<span>You are <b>${text(user.displayName)}</b> on a ${who.managed ? 'managed' : 'private'} device</span>
       <a href="/far/">be somebody else</a><a href="/far/spaces">spaces</a>`
    : '';
  res
    .writeHead(status, {
      'content-type': 'text/html; charset=utf-8',
      'content-security-policy':
        "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'",
      'cache-control': 'no-store',
    })
    .end(
      `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>${text(title)} – simulated workspace</title><style>${STYLE}</style>
<header><b>Simulated workspace</b>${as}</header><main><h1>${text(title)}</h1>${body}</main></html>`,
    );
}

const cookies = (req: IncomingMessage): Map<string, string> =>
  new Map(
    (req.headers.cookie ?? '').split(/; */).map((c): [string, string] => {
      const [name = '', value = ''] = c.split('=');
      try {
        return [name, decodeURIComponent(value)];
      } catch {
        return [name, ''];
      }
    }),
  );

async function formOf(req: IncomingMessage): Promise<URLSearchParams> {
  let body = '';
  for await (const chunk of req) {
    body += String(chunk);
    if (body.length > 20_000) break;
  }
  return new URLSearchParams(body);
}

/** Only to places of the far side itself. */
const inside = (to: string | null): string => (to && /^\/far\/[\w/%.~-]*$/.test(to) ? to : '/far/spaces');

export async function far(req: IncomingMessage, res: ServerResponse, url: URL): Promise<void> {
  // whoever looks at another page must not act here by it
  const { origin, host } = req.headers;
  if (req.method === 'POST' && origin !== `http://${host}`)
    return page(res, 403, undefined, 'Not from here', '<p>This has to come from these pages.</p>');
  const known = cookies(req);
  const user = known.get('far-user');
  const who: Person | undefined =
    user && state.rows.users.has(user) ? { user, managed: known.get('far-device') !== 'private' } : undefined;
  const [, , what, rawId] = url.pathname.split('/');
  if (what === 'as') {
    const as = url.searchParams.get('user') ?? '';
    const device = url.searchParams.get('device') === 'private' ? 'private' : 'managed';
    const set = (name: string, value: string): string =>
      `${name}=${encodeURIComponent(value)}; Path=/far; HttpOnly; SameSite=Lax`;
    res
      .writeHead(303, {
        'set-cookie': [set('far-user', as), set('far-device', device)],
        location: inside(url.searchParams.get('to')),
      })
      .end();
    return;
  }
  if (!who || !what) return people(res, who, url);
  if (what === 'spaces') return spaces(res, who);
  if (what === 'apps') return apps(req, res, who);
  const id = decodeURIComponent(rawId ?? '');
  const row =
    what === 'space' ? state.rows.spaces.get(id) : what === 'item' ? state.rows.items.get(id) : undefined;
  // what one may not open is not there
  if (!row || !may(who.user, row).open)
    return page(res, 404, who, 'Not here', '<p>There is nothing here that you can open.</p>');
  if (req.method !== 'POST') return thing(res, who, row);
  const form = await formOf(req);
  const doing = form.get('act') as Act;
  if (!ACTS.includes(doing)) return page(res, 400, who, 'What?', '<p>That cannot be done here.</p>');
  const role = form.get('role');
  const audience = form.get('audience');
  const sharing: Sharing | undefined =
    doing === 'share'
      ? {
          to: form.get('to')?.trim() || undefined,
          audience: audience === 'organisation' || audience === 'anyone' ? audience : undefined,
          role: role === 'editor' || role === 'commenter' ? role : 'reader',
        }
      : undefined;
  const goesOn = form.get('on') ? { ...(form.get('reason') && { reason: form.get('reason')! }) } : undefined;
  return thing(res, who, row, { doing, sharing, outcome: await act(who, doing, row, sharing, goesOn) });
}

/** Apps to let in, and what became of letting one in. */
async function apps(req: IncomingMessage, res: ServerResponse, who: Person): Promise<void> {
  let told = '';
  let refused = false;
  if (req.method === 'POST') {
    const form = await formOf(req);
    const app = state.rows.apps.get(form.get('app') ?? '');
    if (!app) return page(res, 404, who, 'Not here', '<p>There is no such app.</p>');
    const scopes = form.getAll('scope');
    const asks = form.get('asks')?.trim();
    const verdict = await consent(who, app, scopes, {
      ...(asks && { asks }),
      ...(form.get('on') && { goesOn: true }),
    });
    const hidden = [['app', app.id], ...scopes.map((s) => ['scope', s])]
      .map(([k, v]) => `<input type="hidden" name="${k}" value="${text(v)}">`)
      .join('');
    refused = !verdict.decision;
    told = refused
      ? `<div class="no" role="alert"><b>Not allowed.</b> ${text(verdict.said)}${
          verdict.mayAsk
            ? `<form method="post">${hidden}<label>Why do you need it? <input name="asks" required maxlength="500" size="40"></label> <button>Ask for it</button></form>`
            : ''
        }</div>`
      : verdict.caution
        ? `<div class="look" role="alert"><p><b>Look twice.</b> ${text(verdict.caution.text)}</p><form method="post">${hidden}<input type="hidden" name="on" value="1"><button>Go on</button></form></div>`
        : `<p class="yes" role="status">${text(app.name)} is let in.</p>`;
  }
  const list = appsFor(who).map(({ app, scopes }) => {
    const boxes = [...new Set([...scopesOf(app), 'files:read:own', 'mail:read'])]
      .map(
        (s) =>
          `<label><input type="checkbox" name="scope" value="${text(s)}"${(scopes ?? scopesOf(app)).includes(s) ? ' checked' : ''}> ${text(s)}</label>`,
      )
      .join(' ');
    return `<li><b>${text(app.name)}</b> <small>${text(app.publisher)} ${text(app.workspace)}${scopes ? ', let in' : ''}</small>
<form method="post"><input type="hidden" name="app" value="${text(app.id)}">${boxes} <button>${scopes ? 'Let in again' : 'Let in'}</button></form></li>`;
  });
  page(res, refused ? 403 : 200, who, 'Apps', `${told}<ul>${list.join('') || '<li>none</li>'}</ul>`);
}

const SHOWN = 60;
function people(res: ServerResponse, who: Person | undefined, url: URL): void {
  // whoever came for something is led there once they are somebody
  const to =
    url.searchParams.get('to') ?? (/^\/far\/(?:item|space)\//.test(url.pathname) ? url.pathname : '');
  const find = (url.searchParams.get('q') ?? '').toLowerCase();
  const found = [...state.rows.users.values()].filter((u) =>
    `${String(u.displayName)} ${addressesOf(u).join(' ')}`.toLowerCase().includes(find),
  );
  const list = found.slice(0, SHOWN).map((u) => {
    const as = (device: string): string =>
      `/far/as?user=${encodeURIComponent(u.id)}&device=${device}${to ? `&to=${encodeURIComponent(to)}` : ''}`;
    return `<li>${text(u.displayName)} <small>${text(addressesOf(u)[0])}</small>
      <a href="${text(as('managed'))}">on a managed device</a> <a href="${text(as('private'))}">on a private one</a></li>`;
  });
  page(
    res,
    200,
    who,
    'Who are you?',
    `<form action="/far/"><input type="hidden" name="to" value="${text(to)}"><input name="q" aria-label="Find somebody" value="${text(find)}"><button>Find</button></form>
<p>${found.length} people${found.length > SHOWN ? `, the first ${SHOWN}` : ''}</p><ul>${list.join('')}</ul>`,
  );
}

function spaces(res: ServerResponse, who: Person): void {
  const list = [...state.rows.spaces.values()]
    .filter((s) => may(who.user, s).open)
    .map((s) => `<li><a href="${at(s)}">${text(s.name)}</a> <small>${text(s.workspace)}</small></li>`);
  page(res, 200, who, 'Spaces you can open', `<ul>${list.join('') || '<li>none</li>'}</ul>`);
}

interface Tried {
  doing: Act;
  sharing: Sharing | undefined;
  outcome: Outcome;
}

async function thing(res: ServerResponse, who: Person, row: Row, tried?: Tried): Promise<void> {
  const space = state.rows.spaces.get(row.space as string);
  const parent = state.rows.items.get(row.parent as string) ?? space;
  const up =
    parent && may(who.user, parent).open
      ? `<p><a href="${at(parent)}">up to ${text(parent.name)}</a></p>`
      : '';
  const own = may(who.user, row);
  const file = row.kind === 'file' && !isSpace(row);
  const opened = file && !tried ? await act(who, 'open', row) : undefined;
  const now = opened ?? tried?.outcome;
  const shut = opened && !opened.did;
  const copies = own.copy && (now?.did ? now.copies : true);
  const parts = [
    up,
    tried
      ? told(row, tried)
      : opened
        ? told(row, { doing: 'open', sharing: undefined, outcome: opened })
        : '',
    file ? (shut ? '' : await content(row)) : children(who, row),
    shut
      ? ''
      : `<p>${file && copies ? buttons() : ''}${file && own.copy && !copies ? '<small>Downloading, printing and copying are off for you.</small>' : ''}</p>`,
    own.share && !shut ? shareForm() : '',
  ];
  const refused = now && !now.did && 'said' in now;
  page(res, refused ? 403 : 200, who, String(row.name), parts.join(''));
}

const buttons = (): string =>
  `<form method="post">${(['download', 'print', 'copy'] as const)
    .map((a) => `<button name="act" value="${a}">${a[0]!.toUpperCase()}${a.slice(1)}</button>`)
    .join('')}</form>`;

const ROLES =
  '<select name="role" aria-label="as"><option>reader</option><option>commenter</option><option>editor</option></select>';
const shareForm = (): string => `<fieldset><legend>Share</legend>
<form method="post"><input type="hidden" name="act" value="share"><input name="to" aria-label="With whom"
 placeholder="an address, a group, @domain, everyone" size="34"> ${ROLES}<button>Share</button></form>
<p><form method="post"><input type="hidden" name="act" value="share">A link for
<select name="audience" aria-label="Link for"><option value="organisation">everyone here</option><option value="anyone">anyone who has it</option></select>
 ${ROLES}<button>Make a link</button></form></p></fieldset>`;

function told(row: Row, { doing, sharing, outcome }: Tried): string {
  if (outcome.did)
    return doing === 'open' && !outcome.note
      ? ''
      : `<p class="yes" role="status">${doing === 'open' ? '' : `Done: ${doing}.`} ${text(outcome.note)}</p>`;
  if ('said' in outcome)
    return `<p class="no" role="alert"><b>${outcome.by === 'rules' ? 'Not allowed.' : 'Not possible.'}</b> ${text(outcome.said)}</p>`;
  const hidden = Object.entries({ act: doing, ...sharing, on: '1' })
    .map(([k, v]) => (v === undefined ? '' : `<input type="hidden" name="${k}" value="${text(v)}">`))
    .join('');
  const reason = outcome.caution.reason
    ? '<label>Why? <input name="reason" required maxlength="500" size="40"></label> '
    : '';
  return `<div class="look" role="alert"><p><b>Look twice.</b> ${text(outcome.caution.text)}</p>
<form method="post">${hidden}${reason}<button>Go on</button> <a href="${at(row)}">leave it</a></form></div>`;
}

const LONGEST = 4000;
async function content(row: Row): Promise<string> {
  const bytes = state.content.get(row.id);
  if (!bytes) return '<p><small>It has no text here.</small></p>';
  const isText = (typeof row.mime === 'string' ? row.mime : 'text/plain').startsWith('text/');
  return Promise.resolve(
    isText
      ? `<pre>${text(Buffer.from(bytes).toString('utf8').slice(0, LONGEST))}</pre>`
      : `<p><small>${text(row.mime)}, ${bytes.length} bytes</small></p>`,
  );
}

function children(who: Person, row: Row): string {
  const list = [...state.rows.items.values()]
    .filter((i) => (isSpace(row) ? i.space === row.id && !i.parent : i.parent === row.id))
    .filter((i) => may(who.user, i).open)
    .map((i) => `<li><a href="${at(i)}">${text(i.name)}</a> <small>${text(i.kind)}</small></li>`);
  return `<ul>${list.join('') || '<li>nothing that you can open</li>'}</ul>`;
}
