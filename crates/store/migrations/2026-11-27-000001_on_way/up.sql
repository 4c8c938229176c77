-- Least SoC anywhere along the road; without it the lesser of floor and SoC at the end counts.
ALTER TABLE trips ADD COLUMN min_soc_on_way DOUBLE;
