-- Units of every kind: a nameplate has lists of inputs and outputs. Photographs are stored once, by hash.
-- What a rig said about its protection in words becomes its note; gear is listed piece by piece.
CREATE TABLE photo (
  sha256 TEXT PRIMARY KEY,
  type   TEXT NOT NULL,
  width  INTEGER NOT NULL,
  height INTEGER NOT NULL,
  at     TEXT NOT NULL,
  bytes  BLOB NOT NULL
) STRICT;

UPDATE document SET body = json_set(
  json_remove(body, '$.nameplate.input', '$.nameplate.output'),
  '$.nameplate.inputs', json_array(json_object(
    'voltage_V', json_array(body ->> '$.nameplate.input.voltage_min_V', body ->> '$.nameplate.input.voltage_max_V'),
    'frequency_Hz', json(body -> '$.nameplate.input.frequencies_Hz'),
    'current_A', body ->> '$.nameplate.input.current_A')),
  '$.nameplate.outputs', json_array(json(body -> '$.nameplate.output')),
  '$.nameplate.rules', coalesce((
    SELECT json_group_array(json_object('set', value ->> '$.rule_set', 'supply_class', value ->> '$.supply_class'))
    FROM json_each(body, '$.nameplate.rules')), json('[]')))
WHERE kind = 'unit' AND body -> '$.nameplate.input' IS NOT NULL;

UPDATE document SET body = json_remove(json_set(body, '$.note', body ->> '$.protection'), '$.protection')
WHERE kind = 'rig' AND body -> '$.protection' IS NOT NULL;
