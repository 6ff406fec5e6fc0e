-- What stewards decided of findings: accepted until a day for a reason, given to somebody.
alter table finding add column accepted_until date;
alter table finding add column accepted_reason text;
alter table finding add column assignee integer references account on delete set null;
alter table finding add column notes integer not null default 0;
alter table finding_event add column who text;

-- Views that were kept under a name: a path and what it is held to. Shared ones are everybody's.
create table saved_view (
  id integer generated always as identity primary key,
  account integer not null references account on delete cascade,
  name text not null,
  path text not null,
  search text not null,
  shared boolean not null,
  at timestamptz not null,
  unique (account, path, name)
);

-- What each survey came to: exposure by weight and reach, coverage, and what changed since the one before.
create table survey_sum (
  survey integer primary key references survey,
  points integer not null,
  findings integer not null,
  doc jsonb not null
);
