const ESCAPED: Record<string, string> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};

/** A text as HTML shows it, within tags and in their attributes. */
export const escapeHtml = (text: string): string => text.replace(/[&<>"']/g, (c) => ESCAPED[c]!);
