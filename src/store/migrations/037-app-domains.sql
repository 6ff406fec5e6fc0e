-- Domains to which apps answer, and whether they are registered, as a registration data server said.
create table app_domain (
  domain text primary key,
  registered boolean not null,
  -- When the registration ends or has ended; null where the server did not say.
  ends timestamptz,
  looked_at timestamptz not null
);

-- A request can be passed on to somebody who answers for the app; how often it was counts which link still opens it.
alter table app_request
  add column passes int not null default 0,
  add column sponsor text,
  add column sponsor_name text;
