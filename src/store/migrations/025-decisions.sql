-- Decisions at the moment: by which token a workspace asks, and every answer that was no plain yes.
create table decision_token (
  source text primary key,
  hash text not null,
  made_at timestamptz not null,
  made_by text not null
);

create table decision (
  id bigint generated always as identity primary key,
  at timestamptz not null,
  source text not null,
  outcome text not null,
  policy int references policy,
  rule text,
  doc jsonb not null
);
create index on decision (at);
