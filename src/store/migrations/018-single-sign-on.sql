-- Who this is at the identity provider: its issuer, a space, its subject.
alter table account add column subject text unique;
-- Made and ended by the identity provider (SCIM), under an id of its own.
alter table account add column provisioned boolean not null default false;
alter table account add column external_id text;
