/** What an account is held to: its role says what it may do, this of what. */

/** A part of the organisation: what is in any of these. */
export interface Held {
  workspaces: string[];
  /** Of spaces: that of one of their owners; of personal drives: that of their person. */
  departments: string[];
  /** As the engine names them: the source, a colon, and its own id. */
  spaces: string[];
}

/** The workspace that a space is of, by its id as the engine names it. */
export const workspaceOf = (space: string): string => space.slice(0, space.indexOf(':'));

/**
 * Whether a part names nothing but what is named in every one of some others: that it lies within them. What is in both
 * for another reason is not found so; whoever asks may name it.
 */
export const heldWithin = (part: Held, others: readonly Held[]): boolean =>
  others.every((other) =>
    (['workspaces', 'departments', 'spaces'] as const).every((kind) =>
      part[kind].every(
        (name) =>
          other[kind].includes(name) || (kind === 'spaces' && other.workspaces.includes(workspaceOf(name))),
      ),
    ),
  );

/** Whether a part names nothing at all. */
export const namesNothing = (part: Held): boolean =>
  !part.workspaces.length && !part.departments.length && !part.spaces.length;
