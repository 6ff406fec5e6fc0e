-- Rules that respond: which plan a policy made, what it did about each hit, and what is left out until a day.
alter table plan add column policy int references policy;
alter table plan add column policy_version int;
create index on plan (policy) where policy is not null;

alter table policy_run add column plan int references plan;
-- Why a run that was to respond did not begin by itself.
alter table policy_run add column stopped jsonb;

-- What is in force has no end; how far it has come follows from the plan.
alter table rule_hit drop constraint rule_hit_state_check;
drop index rule_hit_state_policy_idx;
alter table rule_hit drop column state;
alter table rule_hit add column excepted int;
-- What each response came to.
alter table rule_hit add column parts jsonb;
create index on rule_hit (policy) where over_at is null;

create table hit_change (
  hit int not null references rule_hit on delete cascade,
  change int not null references plan_change,
  primary key (hit, change)
);
create index on hit_change (change);

create table rule_exception (
  id int generated always as identity primary key,
  policy int not null references policy,
  -- None: all rules of the policy.
  rule text,
  key text not null,
  name text not null,
  until date not null,
  reason text not null,
  made_at timestamptz not null,
  made_by text not null,
  ended_at timestamptz
);
create index on rule_exception (policy) where ended_at is null;
