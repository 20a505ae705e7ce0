-- +goose Up
-- What the laboratory says to the cancelling of an order that may have reached it: '' (it
-- need not know), 'waiting', 'done', or why it could not.
ALTER TABLE lab_order ADD COLUMN cancelling TEXT NOT NULL DEFAULT '';
