-- Tries to sign in, counted before the password is looked at: by account, by known device and by where they come from.
drop table sign_in_failure;
create table sign_in_try (
  id integer generated always as identity primary key,
  -- Such as `account x@y`, `device …` or `source 192.0.2.1`.
  bucket text not null,
  at timestamptz not null
);
create index on sign_in_try (bucket, at);
create index on sign_in_try (at);
-- Browsers from which an account has been signed in to: others cannot lock them out.
create table device (
  token_hash text primary key,
  account integer not null references account on delete cascade,
  made_at timestamptz not null,
  seen_at timestamptz not null
);
create index on device (account);
