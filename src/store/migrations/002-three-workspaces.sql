-- More kinds of sources; surveys that read only what changed since the change token of the last one.
alter table source drop constraint source_kind_check;
alter table source add constraint source_kind_check check (kind in ('directory', 'drives', 'sites', 'channels', 'extract'));

alter table survey drop constraint survey_kind_check;
alter table survey add constraint survey_kind_check check (kind in ('full', 'incremental', 'read-back'));
-- How many rows it made, altered and ended.
alter table survey add column added integer not null default 0;
alter table survey add column altered integer not null default 0;
alter table survey add column removed integer not null default 0;

-- Where each source's next incremental survey begins.
create table change_token (
  source text primary key references source on delete cascade,
  token text not null,
  survey integer not null references survey
);

-- A staged row without a document is one that is gone.
alter table staged alter column doc drop not null;

-- Who last opened and edited what, in milliseconds since 1970; an actor is a user's id or an address.
create table activity (
  source text not null,
  item text not null,
  actor text not null,
  opened bigint,
  edited bigint,
  primary key (source, item, actor)
);
create unlogged table staged_activity (like activity);
