-- The limits of approval that were in force when a plan was made: later ones may be stricter for it, never looser.
alter table plan add column limits jsonb;
-- Undoing it waits for a second steward: why, who asked, and which changes.
alter table plan add column undo jsonb;
