-- What somebody may have to be told of, until it is worked out who: made with what it is about, taken away with the messages.
create table alert (
  id int generated always as identity primary key,
  -- what it is about; it is told once
  key text not null unique,
  doc jsonb not null
);
