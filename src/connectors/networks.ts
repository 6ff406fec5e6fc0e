/** Network addresses and the networks that they are in. */
import { type BlockList, isIP } from 'node:net';

/** Whether an address is in one of some networks, IPv4 also where it is written as IPv6; a text that is none is not. */
export const isIn = (list: BlockList, address: string): boolean =>
  isIP(address) > 0 && list.check(address, isIP(address) === 6 ? 'ipv6' : 'ipv4');
