-- Domains to which apps answer, and whether they are registered, as a registration data server said.
create table app_domain (
  domain text primary key,
  registered boolean not null,
  -- When the registration ends or has ended; null where the server did not say.
  ends timestamptz,
  looked_at timestamptz not null
);
