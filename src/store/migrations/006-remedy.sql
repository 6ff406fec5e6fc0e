-- Changes of every kind: `change` are the fields that are set; none where the object is taken away.
alter table tray drop constraint tray_pkey;
alter table tray drop constraint tray_kind_check;
alter table tray add constraint tray_kind_check check (kind in ('grant', 'link', 'member', 'space', 'item', 'person'));
alter table tray add column change jsonb;
alter table tray add column place integer;
update tray set place = seq;
alter table tray alter column place set not null;
alter table tray add primary key (account, seq);
create unique index on tray (account, kind, source, object, coalesce(change, 'null'::jsonb));
-- Goals that what is in the tray is to reach.
create table tray_goal (
  account integer not null references account on delete cascade,
  seq integer generated always as identity,
  goal jsonb not null,
  primary key (account, seq)
);

alter table plan drop constraint plan_state_check;
alter table plan add constraint plan_state_check check (state in
  ('draft', 'asked', 'approved', 'scheduled', 'applying', 'applied', 'undoing', 'undone', 'discarded'));
-- Why a second steward has to approve, who asked, who said what and when.
alter table plan add column approval jsonb;
alter table plan add column scheduled_for timestamptz;
alter table plan add column scheduled_by text;
-- Held in the middle of applying or undoing, or to be ended there.
alter table plan add column halt text check (halt in ('paused', 'cancelled'));
alter table plan add column goals jsonb not null default '[]';
-- What holds by computation on what was read back: goals, and points before and after.
alter table plan add column proof jsonb;
alter table plan add column note text;

alter table plan_change drop constraint plan_change_kind_check;
alter table plan_change add constraint plan_change_kind_check check (kind in ('grant', 'link', 'member', 'space', 'item', 'person'));
alter table plan_change drop constraint plan_change_state_check;
alter table plan_change add constraint plan_change_state_check check (state in
  ('planned', 'sending', 'sent', 'verified', 'already-gone', 'unexpected', 'failed', 'left',
   'undo-planned', 'undo-sending', 'undo-sent', 'undone', 'undo-unexpected', 'undo-failed'));
alter table plan_change add column change jsonb;
-- What was read back after it was applied; what was found instead of what was expected; the version
-- against which it was sent; and who brought it back later.
alter table plan_change add column after jsonb;
alter table plan_change add column found jsonb;
alter table plan_change add column version text;
alter table plan_change add column drift jsonb;
-- Whether what it came to has been made part of what surveys saw.
alter table plan_change add column shown boolean not null default false;
