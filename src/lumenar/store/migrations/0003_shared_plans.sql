-- What a setup was to be measured by in a run, as a digest of its patches in order with their uses: setups of one plan
-- share what follows from the patches alone. NULL where a run is older than that.
ALTER TABLE run_setup ADD COLUMN plan TEXT CHECK (plan IS NULL OR length(plan) = 32);
