-- Cents a terabyte and month.
ALTER TABLE volumes ADD COLUMN price_tb_month INTEGER NOT NULL DEFAULT 0;
