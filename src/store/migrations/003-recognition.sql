-- Data types that stewards made, and packs of types that they copied or put together.
create table custom_type (
  id text primary key,
  doc jsonb not null,
  active boolean not null default true,
  changed_at timestamptz not null,
  changed_by text not null
);
create table pack (
  id text primary key,
  name text not null,
  about text not null,
  types jsonb not null,
  copied_from text,
  changed_at timestamptz not null,
  changed_by text not null
);

-- What scans found, beyond the survey that asked for it: a file of the same version is not read again
-- for the same types, and a survey that ended too early is taken up where it was. No raw value is in it.
create table scan (
  source text not null,
  item text not null,
  version text not null,
  types text not null,
  doc jsonb not null,
  at timestamptz not null,
  primary key (source, item)
);

-- What stewards said of single matches: right or wrong, at the certainty it had.
create table mark (
  data_type text not null,
  source text not null,
  item text not null,
  place text not null,
  certainty smallint not null,
  is_right boolean not null,
  at timestamptz not null,
  by text not null,
  primary key (data_type, source, item, place)
);

-- What a step wants said of it.
alter table survey_step add column note text;
