-- What was done lately is asked at every look at Watch, and at failed tries to sign in.
create index on ledger (what, at);
