-- What a tuning's result is for, so that it is judged for that purpose.
ALTER TABLE tuning ADD COLUMN purpose TEXT;
