-- What scopes of other vocabularies come to, as stewards have said.
create table app_scope (
  -- The kind of workspaces that it is said of; empty for all.
  kind text not null,
  scope text not null,
  words text not null,
  -- Scopes of our table.
  means text[] not null,
  by text not null,
  at timestamptz not null,
  primary key (kind, scope)
);

-- What can be changed is declared in core/remedy/fields.ts, and checked where it comes in.
alter table tray drop constraint tray_kind_check;
alter table plan_change drop constraint plan_change_kind_check;
