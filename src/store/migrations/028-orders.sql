-- Messages: each made once, and kept with how it went out.
create table message (
  id bigint generated always as identity primary key,
  -- what it is about and whom it is for, so that it is made once
  key text not null unique,
  way text not null check (way in ('mail', 'chat')),
  -- a mail address, or a channel as source/id
  recipient text not null,
  name text not null,
  severity text not null,
  -- what it comes from
  kind text not null,
  subject text not null,
  body text not null,
  -- an iCalendar file that goes with it
  calendar text,
  made_at timestamptz not null,
  -- gathered: it goes out with others when it is due
  state text not null check (state in ('waiting', 'gathered', 'sent', 'failed', 'dropped')),
  due timestamptz not null,
  tries int not null default 0,
  sent_at timestamptz,
  trouble text,
  -- those that went out in one
  digest bigint references message
);
create index on message (due) where state in ('waiting', 'gathered');
create index on message (recipient, sent_at);
create index on message (made_at);

-- How somebody wants to be told.
create table message_wish (
  address text primary key,
  gather text not null,
  quiet_from int,
  quiet_until int
);

-- Standing orders in every version, and each time one began.
create table standing_order (
  id int generated always as identity primary key,
  version int not null,
  removed_at timestamptz
);
create table standing_order_version (
  standing_order int not null references standing_order,
  version int not null,
  doc jsonb not null,
  made_at timestamptz not null,
  made_by text not null,
  primary key (standing_order, version)
);

create table order_run (
  id int generated always as identity primary key,
  standing_order int not null references standing_order,
  version int not null,
  -- what began it, once
  cause text not null,
  -- what it is about: two under way about the same are one
  about text not null,
  state text not null check (state in
    ('ready', 'waiting', 'asked', 'looking', 'changing', 'held', 'done', 'stopped', 'cancelled', 'failed')),
  -- the step that it is at
  at int not null,
  -- when it goes on by itself
  due timestamptz,
  began_at timestamptz not null,
  ended_at timestamptz,
  tries int not null default 0,
  trouble text,
  doc jsonb not null,
  unique (standing_order, cause)
);
create unique index on order_run (standing_order, about) where ended_at is null;
create index on order_run (due) where due is not null;
create index on order_run (standing_order, id);
create index on order_run ((doc->>'actor'), began_at);

create table order_did (
  run int not null references order_run on delete cascade,
  seq int not null,
  at int not null,
  time timestamptz not null,
  what text not null,
  words text not null,
  plan int references plan,
  primary key (run, seq)
);
create index on order_did (plan) where plan is not null;

-- Of such things an order makes nothing until a day.
create table order_exception (
  id int generated always as identity primary key,
  standing_order int not null references standing_order,
  about text not null,
  name text not null,
  until date not null,
  reason text not null,
  made_at timestamptz not null,
  made_by text not null,
  ended_at timestamptz
);
create index on order_exception (standing_order) where ended_at is null;

-- Whose sharing is suspended until a steward lets them share again.
create table sharing_suspended (
  id int generated always as identity primary key,
  key text not null,
  name text not null,
  run int references order_run,
  reason text not null,
  at timestamptz not null,
  by text not null,
  ended_at timestamptz,
  ended_by text
);
create unique index on sharing_suspended (key) where ended_at is null;

-- Questions to people, and what they answered. The first answer counts.
create table question (
  id int generated always as identity primary key,
  run int references order_run,
  at int not null,
  subject text not null,
  body text not null,
  answers jsonb not null,
  -- what it is about, as whoever is asked sees it
  doc jsonb not null,
  made_at timestamptz not null,
  until timestamptz not null,
  state text not null check (state in ('open', 'answered', 'over', 'withdrawn')),
  answer jsonb,
  unique (run, at)
);
create index on question (state, until);
create table question_person (
  question int not null references question on delete cascade,
  n int not null,
  address text not null,
  name text not null,
  -- by which name they open
  key text not null,
  primary key (question, n)
);
create index on question_person (address);
