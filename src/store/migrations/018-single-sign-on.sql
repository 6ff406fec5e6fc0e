-- Who this is at the identity provider: its issuer, a space, its subject.
alter table account add column subject text unique;
-- What the directory that keeps our accounts calls it (SCIM), and when that took it away.
alter table account add column external_id text;
alter table account add column removed_at timestamptz;
