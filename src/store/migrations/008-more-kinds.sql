-- Rows of kinds that have no partition of their own.
create table observed_other partition of observed default;
