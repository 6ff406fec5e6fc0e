-- Cases of a type of our own are made of real values: they are kept sealed, apart from its definition.
alter table custom_type add column cases text;
