-- Rounds of review: one question for each space, with one answer for each thing that is asked about.
create table round (
  id int generated always as identity primary key,
  doc jsonb not null,
  state text not null check (state in ('running', 'over', 'ended')),
  made_at timestamptz not null,
  made_by text not null,
  ended_at timestamptz
);
-- Whoever is asked in a round, by the number that their link has.
create table round_person (
  round int not null references round on delete cascade,
  n int not null,
  address text not null,
  name text not null,
  key text not null,
  -- how often they were told
  told int not null default 0,
  primary key (round, n),
  unique (round, address)
);
alter table question
  add column round int references round,
  add column space text,
  add column space_name text,
  add column workspace text,
  add column department text,
  -- how many things there are, as planned and then as asked
  add column things int,
  add column reminded int not null default 0,
  -- somebody else is asked by now
  add column passed boolean not null default false,
  -- when something is to be done about it by itself
  add column next_at timestamptz,
  alter column run drop not null,
  alter column at drop not null,
  drop constraint question_state_check,
  add constraint question_state_check check (state in ('planned', 'open', 'answered', 'over', 'withdrawn'));
create unique index on question (round, space);
create index on question (next_at) where next_at is not null;
alter table question_person
  add column told_at timestamptz,
  -- they are to be reminded
  add column remind boolean not null default false,
  -- what they have chosen and not sent yet
  add column draft jsonb;
create table question_thing (
  question int not null references question on delete cascade,
  n int not null,
  key text not null,
  -- as whoever is asked sees it
  doc jsonb not null,
  answer jsonb,
  -- what has become of an answer that changes something; null: nothing was begun
  outcome text check (outcome in ('planned', 'done', 'not-done', 'later')),
  why text,
  later date,
  plan int,
  -- what of the plan is about it
  objects jsonb,
  primary key (question, n)
);
create index on question_thing (key);
create index on question_thing (plan) where plan is not null;
create index on question_thing (later) where outcome = 'later';
