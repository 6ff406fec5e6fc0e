-- The seed of one-time codes, sealed, and the last time step of which a code was used: each is good once.
alter table account add column totp text;
alter table account add column totp_step bigint;
-- Codes for the day the other thing is lost; each is good once.
create table recovery_code (
  account integer not null references account on delete cascade,
  code_hash text not null,
  primary key (account, code_hash)
);
-- Public keys of passkeys (Web Authentication).
create table passkey (
  id integer generated always as identity primary key,
  account integer not null references account on delete cascade,
  credential text not null unique,
  public_key text not null,
  counter bigint not null,
  transports jsonb not null,
  name text not null,
  made_at timestamptz not null,
  used_at timestamptz
);
create index on passkey (account);
-- What is half done and ends by itself: a sign-in that wants a second factor, a challenge, a seed that is not confirmed.
create table pending (
  key text primary key,
  account integer references account on delete cascade,
  value jsonb not null,
  made_at timestamptz not null
);
create index on pending (made_at);
-- Signed in to with a second factor.
alter table session add column strong boolean not null default false;
