/** Electronic mail (RFC 5322, MIME: RFC 2045). */
import PostalMime, { type Email } from 'postal-mime';

const KNOWN =
  /^(?:from|to|cc|subject|date|received|message-id|mime-version|return-path|content-type|delivered-to)$/i;

/** Whether a text begins with the header of a message: fields alone up to an empty line, three known ones among them. */
export function looksLikeMail(head: string): boolean {
  let known = 0;
  for (const line of head.split(/\r?\n/, 200)) {
    if (line === '') return known >= 3;
    if (/^[ \t]/.test(line)) continue;
    const name = /^([!-9;-~]{1,76}):/.exec(line)?.[1];
    if (name === undefined) return false;
    if (KNOWN.test(name)) known++;
  }
  return known >= 3;
}

export interface Mail {
  subject: string;
  /** Who wrote to whom, a line each. */
  people: string;
  text: string;
  html: string;
  attachments: { name: string; bytes: Uint8Array }[];
}

/** Reads one message. Throws where it is nested or headed beyond measure. */
export async function readMail(bytes: Uint8Array): Promise<Mail> {
  const mail: Email = await PostalMime.parse(bytes, {
    maxNestingDepth: 50,
    maxHeadersSize: 2 ** 20,
    attachmentEncoding: 'arraybuffer',
    forceRfc822Attachments: true,
  });
  const people = [mail.from, ...(mail.to ?? []), ...(mail.cc ?? []), ...(mail.bcc ?? [])].flatMap((a) =>
    a ? (a.group ?? [a]).map((x) => `${x.name ?? ''} <${x.address ?? ''}>`) : [],
  );
  return {
    subject: mail.subject ?? '',
    people: people.join('\n'),
    text: mail.text ?? '',
    html: mail.html ?? '',
    attachments: mail.attachments.map((a, i) => ({
      name: a.filename ?? `attachment ${i + 1}`,
      bytes: typeof a.content === 'string' ? Buffer.from(a.content) : new Uint8Array(a.content),
    })),
  };
}
