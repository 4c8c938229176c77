ALTER TABLE trips DROP COLUMN min_soc_on_way;
