-- +goose Up
-- The finder looks up single letters and pairs of them too, and so never goes through
-- everybody. The index is made again when the store is opened.
DELETE FROM patient_search;
UPDATE patient SET words = '';
