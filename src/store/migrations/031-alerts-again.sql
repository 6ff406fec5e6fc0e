-- What cannot be told now is told later.
alter table alert
  add column due timestamptz not null default '-infinity',
  add column tries int not null default 0,
  add column trouble text;
