-- The part that an account is held to; null for the whole.
alter table account add column held jsonb;
-- Tokens for machines, of which only the hash is kept.
create table api_token (
  id integer generated always as identity primary key,
  account integer not null references account on delete cascade,
  name text not null,
  token_hash text not null unique,
  role text not null check (role in ('steward', 'auditor', 'owner')),
  held jsonb,
  last_day date not null,
  made_at timestamptz not null,
  used_at timestamptz,
  ended_at timestamptz
);
create index on api_token (account);
