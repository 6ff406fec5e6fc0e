-- What was done about a thing or a person by standing orders.
create index on order_run using gin ((doc->'things'));
create index on order_run ((doc->>'actor'));
