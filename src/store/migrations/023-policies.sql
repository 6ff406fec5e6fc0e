-- Policies: what they are, in every version; each time they were judged; and what their rules hit.
create table policy (
  id int generated always as identity primary key,
  name text not null,
  version int not null,
  made_at timestamptz not null,
  made_by text not null,
  -- Kept for what was done under it, and not judged any more.
  removed_at timestamptz
);

create table policy_version (
  policy int not null references policy,
  version int not null,
  doc jsonb not null,
  made_at timestamptz not null,
  made_by text not null,
  note text not null,
  primary key (policy, version)
);

create table policy_run (
  id int generated always as identity primary key,
  policy int not null references policy,
  version int not null,
  survey int not null,
  at timestamptz not null,
  by text not null,
  -- Milliseconds.
  took int not null,
  hits int not null,
  opened int not null,
  over int not null,
  -- Hits by rule; what was wrong, where nothing could be judged.
  doc jsonb not null
);
create index on policy_run (policy, id);

-- One row for each thing that a rule hits, kept when it is over until it is hit again or its time is up.
create table rule_hit (
  id int generated always as identity primary key,
  policy int not null references policy,
  rule text not null,
  key text not null,
  state text not null check (state in ('would', 'over')),
  version int not null,
  since timestamptz not null,
  since_survey int not null,
  over_at timestamptz,
  -- The digest of what was told of it, as with findings.
  told uuid not null,
  doc jsonb not null,
  unique (policy, rule, key)
);
create index on rule_hit (state, policy);
