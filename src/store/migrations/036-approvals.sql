-- Apps that stewards have approved, or refused. One stands for each app until it is ended.
create table app_approval (
  id serial primary key,
  -- Its client id, with its source; and what it was called then.
  app text not null,
  name text not null,
  approved boolean not null,
  -- Ids of groups; none: everybody.
  groups text[] not null,
  scopes text[] not null,
  until date,
  reason text not null,
  by text not null,
  at timestamptz not null,
  ended_at timestamptz,
  ended_by text
);
create unique index app_approval_standing on app_approval (app) where ended_at is null;

-- Apps that people were refused and have asked for.
create table app_request (
  id serial primary key,
  app text not null,
  name text not null,
  -- The key and name of whoever asks.
  person text not null,
  person_name text not null,
  scopes text[] not null,
  reason text not null,
  at timestamptz not null,
  answered_at timestamptz,
  answered_by text,
  approved boolean,
  answer text
);
create unique index app_request_open on app_request (app, person) where answered_at is null;
