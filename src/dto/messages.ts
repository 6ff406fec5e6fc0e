/** Messages as the API speaks of them. */
import type { Severity } from '../core/exposure/exposure.ts';
import type { Gather } from '../core/messages/when.ts';

/** How mail goes out. The password is never told. */
export interface MailSettings {
  host: string;
  port: number;
  security: 'tls' | 'starttls' | 'none';
  user: string;
  password: string;
  from: string;
  /** Where people reach this installation, for links in messages. */
  site: string;
}

export const MESSAGE_STATES = ['waiting', 'gathered', 'sent', 'failed', 'dropped'] as const;
export type MessageState = (typeof MESSAGE_STATES)[number];
export const MESSAGE_SHOWS = [...MESSAGE_STATES, 'all'] as const;

export interface MessageRow {
  id: number;
  way: 'mail' | 'chat';
  recipient: string;
  name: string;
  severity: Severity;
  kind: string;
  subject: string;
  body: string;
  madeAt: string;
  state: MessageState;
  due: string;
  sentAt: string | null;
  trouble: string | null;
  /** It went out with others, as this one. */
  digest: number | null;
  calendar: boolean;
}
export interface MessagesPage {
  rows: MessageRow[];
  total: number;
}
export interface MessageSettings {
  mail: MailSettings | null;
  /** Mail can go out: by the settings, or as the server’s operator says. */
  ready: boolean;
  /** Set by the server’s operator, not here. */
  byServer: boolean;
  /** Messages that could not be sent in the last seven days, and that wait. */
  failed: number;
  waiting: number;
  /** What nobody could be told of so far, and what was in the way of the last of it. */
  untold: { n: number; trouble: string } | undefined;
  /** How whoever asks wants to be told. */
  own: OwnWish;
}
export interface OwnWish {
  gather: Gather;
  quiet: { from: number; until: number } | null;
}
