alter table account add column active boolean not null default true;
alter table account add column signed_in_at timestamptz;
-- Not there until an invitation is taken up, of whose token only the hash is kept.
alter table account alter column password_hash drop not null;
alter table account add column invite_hash text;
alter table account add column invite_until timestamptz;
-- A role that another steward has to confirm, and who wants it.
alter table account add column asked_role text check (asked_role in ('steward', 'auditor', 'owner'));
alter table account add column asked_by text;
-- From where a session is, as it says of itself.
alter table session add column id integer generated always as identity;
alter table session add column agent text;
alter table session add column source text;
create index on session (account);
-- Whoever was a steward once could confirm what another does: nobody is alone by having taken that away.
alter table account add column was_steward boolean not null default false;
update account set was_steward = role = 'steward';
