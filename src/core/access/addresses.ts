/** E-mail addresses and domains as they are compared: different spellings of one are one. */
import { toUnicode } from 'tr46';

const PLAIN = /^[\x00-\x7f]*$/;

/** In small letters, and in normalisation form C. */
const small = (text: string): string =>
  PLAIN.test(text) ? text.toLowerCase() : text.toLowerCase().normalize('NFC');

/** A domain in small letters and in Unicode, as UTS #46 maps it; one that it refuses is not mapped, so that it is no other. */
export function domainName(text: string): string {
  if (PLAIN.test(text) && !/xn--/i.test(text)) return text.toLowerCase();
  const { domain, error } = toUnicode(text);
  return error ? small(text) : domain;
}

/** An address in small letters, in normalisation form C, its domain as `domainName` has it. */
export function addressName(text: string): string {
  const at = text.lastIndexOf('@') + 1;
  return small(text.slice(0, at)) + domainName(text.slice(at));
}

/** Whether something stands on both sides of the last @, and no space after it. */
export function isAddress(text: string): boolean {
  const at = text.lastIndexOf('@');
  return text.slice(0, Math.max(at, 0)).trim() !== '' && /^\S+$/.test(text.slice(at + 1));
}

/** Domains that stand for such as are not told by name in a part of an organisation: nobody has them (RFC 2606). */
export const HIDDEN_DOMAIN = 'elsewhere.invalid';
export const HIDDEN_PARTNER = 'partner.elsewhere.invalid';
export const isHiddenDomain = (domain: string): boolean => domain.endsWith(HIDDEN_DOMAIN);
