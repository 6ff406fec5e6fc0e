-- A survey that was dropped is known to have been, and cannot be asked about any more.
alter table survey drop constraint survey_state_check;
alter table survey add constraint survey_state_check
  check (state in ('running', 'done', 'failed', 'cancelled', 'interrupted', 'dropped'));
