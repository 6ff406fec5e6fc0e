-- A source that is paused is not read; what was known of it stays.
alter table source add column paused boolean not null default false;
