-- Domains that stewards called a partner's, beyond those of the workspaces, until a day, with a sponsor.
create table partner_domain (
  domain text primary key check (domain = lower(domain)),
  until date,
  sponsor text not null,
  at timestamptz not null,
  by text not null
);
