/** How somebody reads dates. */
export interface DateSettings {
  /** A language tag (RFC 5646). */
  language: string;
  /** A time zone of the IANA database. */
  zone: string;
}

/** Languages in which dates are read, each by its own name. */
export const DATE_LANGUAGES = {
  'en-GB': 'English',
  'en-US': 'English (US)',
  'de-DE': 'Deutsch',
  'et-EE': 'Eesti',
  'es-ES': 'Español',
  'fr-FR': 'Français',
  'it-IT': 'Italiano',
  'nl-NL': 'Nederlands',
  'nb-NO': 'Norsk bokmål',
  'pl-PL': 'Polski',
  'pt-PT': 'Português',
  'fi-FI': 'Suomi',
  'sv-SE': 'Svenska',
} as const;

/** Whether a time zone is one that this machine knows. */
export function isZone(zone: string): boolean {
  try {
    return Boolean(new Intl.DateTimeFormat('en', { timeZone: zone }));
  } catch {
    return false;
  }
}

/** When surveys are made by themselves (RFC 5545), and by which clock everything in a rhythm goes. */
export interface ScheduleSettings {
  zone: string;
  full: string | null;
  incremental: string | null;
}
