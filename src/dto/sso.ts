/** Why somebody did not come in through the identity provider, by a code that the sign-in page is told. */
export const SSO_TROUBLE = {
  none: 'There is no single sign-on here.',
  unreachable: 'The identity provider cannot be reached.',
  begun: 'This sign-in was not begun here, or took too long. Begin again.',
  denied: 'The identity provider did not let you in.',
  answer: 'The answer of the identity provider does not hold. Begin again.',
  other: 'Your account here belongs to somebody else at the identity provider.',
  role: 'You have no role in Gate Lantern. Ask a steward for one.',
  account: 'You have no account in Gate Lantern. Ask a steward for one.',
  address: 'The identity provider names no verified e-mail address of yours.',
  disabled: 'Your account here is disabled.',
} as const;
export type SsoTrouble = keyof typeof SSO_TROUBLE;
