-- Who should own a space after those who do, as somebody who answered for it has said.
create table space_wish (
  -- The id of the space, with its source.
  space text primary key,
  -- The id of the account of whom they named, with its source.
  person text not null,
  -- The name of whoever said so.
  by text not null,
  at timestamptz not null
);
