/**
 * Which addresses a source may have. Whoever may add a source must not be able to make this server ask its own
 * machine, its cloud’s metadata or its private network, nor to send a token in the clear.
 */
import { lookup } from 'node:dns/promises';
import { BlockList, isIP } from 'node:net';
import { isIn } from './networks.ts';
import { ConnectorError } from './port.ts';

/** Addresses that are not of the public internet (IANA special-purpose registries, RFC 6890 and those after it). */
const LOCAL = new BlockList();
for (const [net, prefix] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.0.0.0', 24],
  ['192.168.0.0', 16],
  ['198.18.0.0', 15],
  ['224.0.0.0', 3],
] as const)
  LOCAL.addSubnet(net, prefix, 'ipv4');
for (const [net, prefix] of [
  ['::', 128],
  ['::1', 128],
  ['64:ff9b::', 96],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const)
  LOCAL.addSubnet(net, prefix, 'ipv6');

/** Whether a network address is of this machine or a private network, also where IPv4 is written as IPv6. */
export const isLocal = (address: string): boolean => isIn(LOCAL, address);

/** Without the brackets that are around an IPv6 address. */
const hostOf = (url: URL): string => url.hostname.replace(/^\[|\]$/g, '');

const LOCAL_NAME = /^(?:localhost|.*\.(?:localhost|local|internal|intranet|lan|home\.arpa))\.?$/i;
const refuse = (reason: string): never => {
  throw Object.assign(new Error(reason), { name: 'AppError', code: 'source-address', status: 422 });
};

/** Throws, in a sentence, where a source may not have an address as it is written. `localToo`: a setting allows it. */
export function checkAddress(text: string, localToo: boolean): void {
  const url = URL.canParse(text) ? new URL(text) : refuse('This is no address.');
  if (url.username || url.password)
    refuse('An address must not hold a name or a password: give the token instead.');
  if (url.search || url.hash) refuse('An address ends before “?” and “#”.');
  if (localToo) return;
  if (url.protocol !== 'https:')
    refuse('An address begins with https://. GATE_LANTERN_LOCAL_SOURCES=1 on the server allows others.');
  const host = hostOf(url);
  if (LOCAL_NAME.test(host) || isLocal(host))
    refuse(
      'This address is of the server’s own machine or network. GATE_LANTERN_LOCAL_SOURCES=1 on the server allows it.',
    );
}

/** The same of what a name stands for, before anything is sent there. */
export async function checkHost(
  text: string,
  resolve: (host: string) => Promise<{ address: string }[]> = (host) => lookup(host, { all: true }),
): Promise<void> {
  const host = hostOf(new URL(text));
  const found = isIP(host) ? [{ address: host }] : await resolve(host);
  if (found.some((f) => isLocal(f.address)))
    throw new ConnectorError(
      'refused',
      `${host} leads to the server’s own machine or network, and was not asked.`,
    );
}
