-- Findings are exposures, or breaches: what a rule hits that says so. What is wrong is a file of a source for the one, and a hit for the other.
alter table finding add column policy integer references policy;
alter table finding add column rule text;
alter table finding add column hit_key text;
alter table finding drop constraint finding_source_item_key;
create unique index finding_exposure on finding (source, item) where rule is null;
create unique index finding_breach on finding (policy, rule, hit_key) where rule is not null;

-- What stewards said of hits that they looked at, to know how often a rule is right.
create table hit_mark (
  policy integer not null references policy,
  rule text not null,
  key text not null,
  is_right boolean not null,
  certainty smallint,
  at timestamptz not null,
  by text not null,
  primary key (policy, rule, key)
);

-- What is known of a thing is asked by what opens it, too.
create index on rule_hit ((doc->>'open'));
