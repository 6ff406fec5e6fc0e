/** The day until which somebody is asked, as an iCalendar file (RFC 5545). */
import ical, { ICalCalendarMethod } from 'ical-generator';

/** One event that ends at a moment. `id`: by which a calendar knows it again. */
export function calendarOf(d: { id: string; until: Date; title: string; made: Date }): string {
  const calendar = ical({ name: 'Gate Lantern', method: ICalCalendarMethod.PUBLISH });
  calendar.createEvent({
    id: `${d.id}@gate-lantern`,
    stamp: d.made,
    start: new Date(d.until.getTime() - 30 * 60_000),
    end: d.until,
    summary: d.title,
    description: 'The link to answer is in the message.',
  });
  return calendar.toString();
}
