package store

import (
	"encoding/json"
	"fmt"
	"strings"
)

// rows is how the rows of one kind are read, alone or together with others.
type rows[T any] struct {
	cols, from, order string
	args              []any
	scan              func(scanner, *T) error
}

// read reads the rows by a statement of their own.
func (r rows[T]) read(q *Q) ([]T, error) {
	return list(q, r.scan, "SELECT "+r.cols+" FROM "+r.from+" ORDER BY "+r.order, r.args...)
}

// into reads the rows as a portion of one statement.
func (r rows[T]) into(out *[]T) portion {
	*out = []T{}
	return portion{
		"(SELECT json_group_array(json_array(" + r.cols + ") ORDER BY " + r.order + ") FROM " + r.from + ")", r.args,
		func(body string) error {
			var all []row
			if err := json.Unmarshal([]byte(body), &all); err != nil {
				return err
			}
			for _, one := range all {
				var t T
				if err := r.scan(one, &t); err != nil {
					return err
				}
				*out = append(*out, t)
			}
			return nil
		},
	}
}

// portion is what one statement reads of several.
type portion struct {
	query string
	args  []any
	take  func(body string) error
}

// together reads several kinds of rows by one statement, in which each kind is one value: a
// JSON array of its rows. What a screen needs whole is asked whole.
func (q *Q) together(ps ...portion) error {
	var queries []string
	var args []any
	for _, p := range ps {
		queries, args = append(queries, p.query), append(args, p.args...)
	}
	bodies, err := one(q, func(s scanner, out *[]string) error {
		*out = make([]string, len(ps))
		into := make([]any, len(ps))
		for i := range *out {
			into[i] = &(*out)[i]
		}
		return s.Scan(into...)
	}, "SELECT "+strings.Join(queries, ",\n"), args...)
	if err != nil {
		return err
	}
	for i, p := range ps {
		if err := p.take(bodies[i]); err != nil {
			return fmt.Errorf("what was read together cannot be taken apart: %w", err)
		}
	}
	return nil
}

// row is a row of a portion; it scans as a row of a statement does.
type row []json.RawMessage

func (r row) Scan(dest ...any) error {
	if len(dest) != len(r) {
		return fmt.Errorf("%d columns for %d values", len(r), len(dest))
	}
	for i, d := range dest {
		var err error
		if b, ok := d.(*bool); ok {
			var n int
			err = json.Unmarshal(r[i], &n)
			*b = n != 0
		} else {
			err = json.Unmarshal(r[i], d)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
