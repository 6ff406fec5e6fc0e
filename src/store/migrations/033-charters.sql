-- What spaces are for: purposes and sensitivities, which of them each space has, and which are kept though nothing happens in them.
create table purpose (
  id text primary key,
  doc jsonb not null
);
create table sensitivity (
  id text primary key,
  doc jsonb not null
);
create table charter (
  -- The id of the space, with its source.
  space text primary key,
  purpose text not null references purpose,
  sensitivity text not null references sensitivity,
  at timestamptz not null,
  by text not null,
  how text not null check (how in ('hand', 'answer', 'rule')),
  reason text not null
);
create table space_kept (
  space text primary key,
  -- Until and including this day.
  until date not null,
  at timestamptz not null,
  by text not null,
  reason text not null
);
insert into purpose (id, doc) values
  ('team', '{"id": "team", "name": "Team", "description": "Where a team works every day.", "dormantDays": 90}'),
  ('project', '{"id": "project", "name": "Project", "description": "Work with an end.", "dormantDays": 60}'),
  ('event', '{"id": "event", "name": "Short-lived", "description": "A tender, an event, an incident: over in weeks.", "dormantDays": 30}'),
  ('reference', '{"id": "reference", "name": "Reference", "description": "Read now and then, and seldom changed.", "dormantDays": 365}');
insert into sensitivity (id, doc) values
  ('open', '{"id": "open", "name": "Open", "description": "May be shared with partners and guests.", "settings": {}, "owners": 1, "review": {"kind": "shares", "every": "yearly"}}'),
  ('internal', '{"id": "internal", "name": "Internal", "description": "For the organisation. Guests by name.", "settings": {"externalSharing": "existing-guests", "defaultAudience": "named"}, "owners": 1, "review": {"kind": "guests", "every": "half-yearly"}}'),
  ('confidential', '{"id": "confidential", "name": "Confidential", "description": "For its members only; nothing leaves.", "settings": {"visibility": "members", "externalSharing": "off", "defaultAudience": "named", "editorsShare": false}, "owners": 2, "review": {"kind": "members", "every": "quarterly"}}');
-- When something happened last with each thing, by where that is known from (core/ask/activity): events themselves are not kept for ever.
create table node_seen (
  node_key text not null,
  source text not null,
  at timestamptz not null,
  primary key (node_key, source)
);
insert into node_seen select node_key,
  case when type in ('file.opened', 'file.downloaded', 'file.printed', 'link.opened') then 'opened'
    when type = 'message.posted' then 'chat' else 'changed' end as source, max(time) from happened
  where node_key <> '' and type in ('file.opened', 'file.downloaded', 'file.printed', 'link.opened', 'file.edited', 'file.uploaded',
    'file.copied', 'file.moved', 'message.posted') group by 1, 2;
-- The round in which owners were asked about what a rule hit.
alter table rule_hit add column round int references round;
-- They have said that they cannot answer.
alter table question_person add column declined boolean not null default false;
