-- The digest of what the engine told of a finding: after a survey only those are written of which something else is told. Null in
-- rows of before.
alter table finding add column told uuid;
alter table finding drop column last_survey;
