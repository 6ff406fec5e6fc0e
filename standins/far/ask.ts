/**
 * Asking for decisions before somebody acts, by the AuthZEN Authorization API 1.0. When nobody answers, it is let or refused
 * as the workspace is set, and what was let is in its log.
 */
export interface DecisionSettings {
  /** Where to ask; none: nobody is asked. */
  url?: string | undefined;
  /** By workspace. */
  tokens: Record<string, string>;
  whenSilent: 'let' | 'refuse';
}
export const asking: DecisionSettings = { tokens: {}, whenSilent: 'let' };

export interface Verdict {
  decision: boolean;
  /** Why not, in words. */
  said?: string;
  caution?: { text: string; reason: boolean };
  withoutCopies: boolean;
  /** Whoever is refused can ask for it; or it is asked for already. */
  mayAsk?: boolean;
  asked?: boolean;
  /** Nobody answered. */
  silent: boolean;
}

/** A decision that takes longer counts as none, in milliseconds. */
const PATIENCE = 2000;

interface Answer {
  decision: boolean;
  context?: {
    reason_user?: Record<string, string>;
    obligations?: { id: string; text?: string; reason?: boolean }[];
  };
}

export async function decide(workspace: string, question: object): Promise<Verdict> {
  const token = asking.tokens[workspace];
  if (!asking.url || !token) return { decision: true, withoutCopies: false, silent: false };
  try {
    const response = await fetch(`${asking.url}/access/v1/evaluation`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      body: JSON.stringify(question),
      signal: AbortSignal.timeout(PATIENCE),
    });
    if (!response.ok) throw new Error(String(response.status));
    const { decision, context = {} } = (await response.json()) as Answer;
    const caution = context.obligations?.find((o) => o.id === 'caution');
    const said = Object.values(context.reason_user ?? {})[0];
    return {
      decision,
      ...(said && { said }),
      ...(caution && { caution: { text: caution.text ?? '', reason: caution.reason === true } }),
      withoutCopies: context.obligations?.some((o) => o.id === 'without-copies') ?? false,
      mayAsk: context.obligations?.some((o) => o.id === 'may-ask') ?? false,
      asked: context.obligations?.some((o) => o.id === 'asked') ?? false,
      silent: false,
    };
  } catch {
    return asking.whenSilent === 'let'
      ? { decision: true, withoutCopies: false, silent: true }
      : {
          decision: false,
          said: 'Nobody can say now whether this is allowed. Try again in a while.',
          withoutCopies: false,
          silent: true,
        };
  }
}
