-- In which language and time zone somebody reads dates; null for those of the browser.
alter table account add column dates jsonb;
