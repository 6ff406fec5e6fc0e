/** A path of our own from what a link asked for: whatever leads to another origin, or is no path, becomes the first page. */
export function ownPath(wanted: string | null): string {
  const home = 'http://own.invalid';
  // as a browser reads it: tabs and line breaks vanish, a backslash is a slash
  if (!wanted?.startsWith('/')) return '/';
  const url = URL.canParse(wanted, home) ? new URL(wanted, home) : undefined;
  if (url?.origin !== home || url.pathname.startsWith('//')) return '/';
  return url.pathname + url.search + url.hash;
}
