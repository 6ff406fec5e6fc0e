-- The SHA-256 of a row's text, as far as sixteen bytes go: what has not changed since the last survey is told by it without
-- reading the row. Null in rows of before; a survey that sees such a row again adds it.
alter table observed add column digest uuid;
alter table staged add column digest uuid;
-- Every version is found by kind, source, id and number; what is open among them needs no index of its own.
drop index observed_kind_source_id_idx;
-- Sources of which nothing was known when a survey began: their rows are put where they belong as they are read, and are
-- taken away again where the survey does not come to its end. Empty once they are.
alter table survey add column direct text[] not null default '{}';
