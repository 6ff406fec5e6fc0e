/**
 * How requests reach us: under which names, over TLS or not, from which network address. What a proxy says of it counts
 * only where the proxy is one that is named; from anybody else it is taken out.
 */
import type { IncomingHttpHeaders } from 'node:http';
import { BlockList, isIP } from 'node:net';
import { isIn } from '../connectors/networks.ts';
import { SCHEME_HEADER, SOURCE_HEADER } from '../dto/headers.ts';

const LOOPBACK = /^(?:localhost|127\.0\.0\.1|\[::1\])(?::\d+)?$/;

/** Whether a Host header names us: a page of another site must not reach us by giving its own name to our address. */
export function knownHost(host: string | undefined | null, env: NodeJS.ProcessEnv): boolean {
  if (!host) return false;
  const allowed = (env.GATE_LANTERN_HOSTS ?? '').split(',').filter(Boolean);
  return (
    LOOPBACK.test(host) || allowed.includes(host) || host.replace(/:\d+$/, '') === (env.HOST ?? '127.0.0.1')
  );
}

/** Addresses and networks in CIDR notation (RFC 4632), with commas between. Throws a sentence where one is none. */
export function networks(list: string | undefined): BlockList {
  const found = new BlockList();
  for (const entry of (list ?? '')
    .split(',')
    .map((e) => e.trim())
    .filter(Boolean)) {
    const [address, prefix] = entry.split('/') as [string, string | undefined];
    const version = isIP(address);
    const bits = version === 6 ? 128 : 32;
    if (!version || (prefix !== undefined && !(/^\d+$/.test(prefix) && Number(prefix) <= bits)))
      throw new Error(`“${entry}” is no network address.`);
    found.addSubnet(address, prefix === undefined ? bits : Number(prefix), version === 6 ? 'ipv6' : 'ipv4');
  }
  return found;
}

/** An IPv4 address that came over an IPv6 socket, as IPv4. */
const plain = (address: string): string => address.replace(/^::ffff:(?=\d+\.)/i, '');

/**
 * Puts scheme and source of a request into headers of our own, and takes out what anybody but a named proxy claims.
 * `peer`: the address at the other end of the connection. Of a chain of proxies the nearest address that is not one
 * of them is the source.
 */
export function marked(
  headers: IncomingHttpHeaders,
  peer: string | undefined,
  tls: boolean,
  proxies: BlockList,
): IncomingHttpHeaders {
  const trusted = isIn(proxies, peer ?? '');
  const said = (name: string): string[] =>
    trusted
      ? String(headers[name] ?? '')
          .split(',')
          .map((v) => v.trim())
          .filter(Boolean)
      : [];
  const scheme = said('x-forwarded-proto').at(-1);
  const chain = [...said('x-forwarded-for').map(plain), plain(peer ?? 'unknown')];
  const source = chain.findLast((a) => !isIn(proxies, a)) ?? chain[0]!;
  const kept = Object.fromEntries(
    Object.entries(headers).filter(([name]) => !/^(?:x-forwarded-|forwarded$|x-gate-lantern-)/.test(name)),
  );
  kept[SCHEME_HEADER] = tls || scheme === 'https' ? 'https' : 'http';
  kept[SOURCE_HEADER] = isIP(source) ? source : 'unknown';
  return kept;
}

/** Headers of every answer, files too. */
export function securityHeaders(scheme: string): Record<string, string> {
  return {
    'x-content-type-options': 'nosniff',
    'x-frame-options': 'DENY',
    'referrer-policy': 'same-origin',
    'cross-origin-opener-policy': 'same-origin',
    'cross-origin-resource-policy': 'same-origin',
    'permissions-policy': 'camera=(), microphone=(), geolocation=(), payment=()',
    // RFC 6797: only over TLS does it mean anything
    ...(scheme === 'https' && { 'strict-transport-security': 'max-age=31536000; includeSubDomains' }),
  };
}
