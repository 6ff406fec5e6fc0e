/** The world that all stand-ins of one process serve, as the command line names it, and what has happened in it. */
import { parseArgs } from 'node:util';
import { FEED_KINDS, ROW_KINDS } from '../src/core/row-kinds.ts';
import { Faults } from './faults.ts';
import { State, type Kind, type Row } from './state.ts';

export const { values: args } = parseArgs({
  options: {
    extract: { type: 'string' },
    state: { type: 'string' },
    port: { type: 'string', default: '0' },
  },
});

/** By the environment: whoever lists processes sees a command line. */
export const tokens = {
  workspace: process.env.STANDIN_TOKEN ?? '',
  control: process.env.STANDIN_CONTROL_TOKEN ?? '',
};
if (!tokens.workspace || !tokens.control)
  throw new Error('STANDIN_TOKEN and STANDIN_CONTROL_TOKEN must be set in the environment.');
process.umask(0o077);

export const state = new State(args.extract!, args.state!);

export const faults = new Faults();

/** Messages that the workspaces send of themselves. */
export const outbox: { to: string; about: string; text: string }[] = [];

export const tell = (to: string, about: string, text: string): void => void outbox.push({ to, about, text });

/** What a workspace lists, by the name of the list. */
export const LISTS: readonly Kind[] = FEED_KINDS.map((k) => ROW_KINDS[k].file);

export const isList = (name: string | undefined): name is Kind => LISTS.includes(name as Kind);

export const rowsOf = (kind: Kind, workspace: string): Row[] =>
  [...state.rows[kind].values()].filter((r) => state.workspaceOf(kind, r) === workspace);

/** What comes before a user's id to make the id of an account; empty where the directory's ids are used. */
export const ACCOUNTS: Record<string, string> = { drives: '', sites: 'a-' };
