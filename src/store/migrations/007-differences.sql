-- What differs between two surveys is read by when versions began and ended.
create index on observed (valid_from);
create index on observed (valid_to) where valid_to is not null;
