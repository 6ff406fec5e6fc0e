/** What went wrong with a passkey, in words; what the browser says of it is for developers. */
export function passkeyWords(error: Error): Error | string {
  switch (error.name) {
    case 'NotAllowedError':
      return 'No passkey was used: it was cancelled, or took too long. Try again.';
    case 'InvalidStateError':
      return 'This device or key holds a passkey of your account already.';
    case 'SecurityError':
      return 'Passkeys need a name to be bound to: open Gate Lantern under its name over https, not under a network address.';
    default:
      return error;
  }
}
