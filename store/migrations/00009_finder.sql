-- +goose Up
-- What the finder looks through, folded: names, record number, birth date and telephone.
-- Rows of former versions are folded when the store is opened.
ALTER TABLE patient ADD COLUMN words TEXT NOT NULL DEFAULT '';
CREATE INDEX patient_find ON patient(family, given, words, person_id);
CREATE INDEX patient_unfolded ON patient(id) WHERE words = '';
