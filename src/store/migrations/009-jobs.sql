-- Long work: surveys and the carrying out of plans, with their steps, when they are due, and how they ended.
create table job (
  id integer generated always as identity primary key,
  kind text not null,
  -- The number of the survey, plan … that it works on.
  subject integer not null,
  started_by text not null,
  state text not null check (state in ('waiting', 'running', 'done', 'failed', 'cancelled', 'interrupted')),
  due timestamptz not null,
  steps jsonb not null default '[]',
  reason text,
  finished_at timestamptz
);
create unique index on job (kind, subject) where state in ('waiting', 'running');
create index on job (due) where state = 'waiting';
create index on job (kind, subject);

insert into job (kind, subject, started_by, state, due, steps, reason, finished_at)
select 'survey', s.id, s.started_by, s.state, s.started_at, coalesce((
    select jsonb_agg(jsonb_build_object('name', t.name, 'state', t.state, 'done', t.done, 'total', t.total,
      'failed', t.failed, 'startedAt', t.started_at, 'finishedAt', t.finished_at, 'note', t.note) order by t.seq)
    from survey_step t where t.survey = s.id), '[]'), s.reason, s.finished_at
from survey s where s.kind <> 'read-back';
drop table survey_step;

insert into job (kind, subject, started_by, state, due)
select 'plan', id, coalesce(scheduled_by, made_by), 'waiting', scheduled_for
from plan where state = 'scheduled' and scheduled_for is not null;
