-- A plan is a list of procedures with their options; a run cites all of them. A watch belongs to the run or a part.
UPDATE document SET body = json_object(
  'name', body ->> '$.name',
  'parts', json_array(json_set(json(body -> '$.options'), '$.procedure', body ->> '$.procedure')))
WHERE kind = 'plan' AND body -> '$.parts' IS NULL;

UPDATE event SET body = json_set(
  json_remove(body, '$.procedure', '$.procedure_version'),
  '$.procedures', json_array(json_array(body ->> '$.procedure', body ->> '$.procedure_version')))
WHERE kind = 'RunOpened' AND body -> '$.procedures' IS NULL;
