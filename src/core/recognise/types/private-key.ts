import type { DataType, Reason } from '../types.ts';

/** The longest body looked through for the end line, in characters (an RSA key of 16,384 bits has 12,600). */
const LONGEST = 16_384;

/** What the decoded body says of itself. */
function bodyReason(label: string, base64: string): Reason {
  if (/^[A-Za-z0-9+/]{40,}={0,2}$/.test(base64)) {
    if (label.startsWith('OPENSSH')) {
      // the format's magic “openssh-key-v1” and a zero byte
      if (base64.startsWith('b3BlbnNzaC1rZXktdjEA')) return { why: 'the body is an OpenSSH key', points: 30 };
    } else if (label.startsWith('PGP')) return { why: 'the body is base64', points: 20 };
    else if (isWholeDerSequence(base64)) return { why: 'the body is one whole DER sequence', points: 30 };
    return { why: 'the body is base64', points: 10 };
  }
  return { why: 'the body is no key', points: -45 };
}

/** Whether base64 text starts a DER SEQUENCE (ITU-T X.690 §8.9) as long as the text. */
function isWholeDerSequence(base64: string): boolean {
  const head = [...atob(base64.slice(0, 8))].map((c) => c.charCodeAt(0));
  const bytes = (base64.replace(/=+$/, '').length * 3) >> 2;
  if (head[0] !== 0x30) return false;
  const first = head[1]!;
  if (first < 0x80) return bytes === 2 + first;
  const octets = first & 0x7f;
  if (octets < 1 || octets > 3) return false;
  return bytes === 2 + octets + head.slice(2, 2 + octets).reduce((n, b) => n * 256 + b, 0);
}

export const privateKey: DataType = {
  id: 'private-key',
  name: 'Private key',
  weight: 4,
  source: 'RFC 7468 §10–11; RFC 9580 §6.2; older labels: common practice',
  start: { sign: '-' },
  longest: LONGEST,
  patterns: [/-----BEGIN (?:(?:ENCRYPTED|RSA|DSA|EC|OPENSSH|ANY|PGP) )?PRIVATE KEY(?: BLOCK)?-----/y],
  judge(candidate, following) {
    const label = candidate.slice(11, -5);
    const close = following.indexOf('-----');
    const closing = `-----END ${label}-----`;
    const closed = close >= 0 && following.startsWith(closing, close);
    const reasons: Reason[] = [{ why: `begins with the label ${label}`, points: 40 }];
    // with headers (RFC 1421) the body comes after the empty line; line ends may be escaped, as in JSON
    const text = (close >= 0 ? following.slice(0, close) : following.slice(0, 200)).replace(/\\r|\\n/g, '\n');
    const headers = /^\s*[A-Za-z-]{1,40}: /.test(text) ? text.search(/\n[ \t]{0,8}\r?\n/) : -1;
    const base64 = text.slice(headers + 1).replace(/\s|\n=[A-Za-z0-9+/]{4}\s*$/g, '');
    if (closed) reasons.push({ why: 'and ends with it', points: 25 });
    reasons.push(bodyReason(label, base64));
    if (label.startsWith('ENCRYPTED') || /Proc-Type: 4,ENCRYPTED/.test(text))
      reasons.push({ why: 'it is encrypted', points: -10 });
    return {
      normalised: base64,
      masked: `${label}, ${base64.length} characters`,
      reasons,
      ...(closed && { length: candidate.length + close + closing.length }),
    };
  },
  context: {
    en: ['private key', 'secret key', 'ssh', 'tls', 'signing key', 'do not share', 'keep secret'],
    no: ['privat nøkkel'],
    nl: ['privésleutel', 'geheime sleutel'],
    et: ['privaatvõti', 'salajane võti'],
  },
  otherwise: ['example', 'placeholder', 'your key here'],
  examples: new Set(),
  fileName: {
    // .pem, .key and .p7b may hold certificates alone, so their names say nothing (common practice)
    pattern: /\.(?:ppk|p12|pfx|jks)$|^id_(?:rsa|dsa|ecdsa|ed25519)$/i,
    reason: { why: 'the file is named as only key files are', points: 60 },
    masked: 'by file name',
  },
};
