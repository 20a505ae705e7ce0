package store

import (
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"sync"

	"deftledger/core/chart"
)

// Extract is what the rules read of one chart, laid together so that a run over the whole practice reads one row a person
// in the place of a hundred in a score of tables. Triggers of the database empty it with every change to a row it was
// made of, and count: it is kept only where the count is still what it was when it was made.
type Extract struct {
	person string
	place  bool // there is one already
	seq    int64
	form   string
	body   string
}

// program tells the program that runs from every other, which may read a chart otherwise: the revision and the compiler
// it was built from, or a hash of it where it was built from a tree with changes.
var program = sync.OnceValue(func() string {
	if b, ok := debug.ReadBuildInfo(); ok {
		said := map[string]string{}
		for _, s := range b.Settings {
			said[s.Key] = s.Value
		}
		if said["vcs.revision"] != "" && said["vcs.modified"] == "false" {
			return b.GoVersion + " " + said["vcs.revision"]
		}
	}
	h := sha256.New()
	if path, err := os.Executable(); err == nil {
		if f, err := os.Open(path); err == nil {
			defer f.Close()
			if _, err := io.Copy(h, f); err == nil {
				return hex.EncodeToString(h.Sum(nil))
			}
		}
	}
	return ""
})

// formOf names how an extract is made: by which program, with which quantities. It is empty, and fits none, where
// the program cannot be told from another.
func formOf(quantities string) string {
	if program() == "" {
		return ""
	}
	h := sha256.Sum256([]byte(program() + quantities))
	return hex.EncodeToString(h[:16])
}

// extracts are those there are of some people.
func (q *Q) extracts(people []string) (map[string]Extract, error) {
	all, _ := json.Marshal(people)
	out := map[string]Extract{}
	err := each(q, func(s scanner, x *Extract) error { return s.Scan(&x.person, &x.seq, &x.form, &x.body) }, func(x Extract) { x.place = true; out[x.person] = x },
		"SELECT x.person_id, x.seq, x.form, x.body FROM json_each(?) j JOIN extract x ON x.person_id = j.value", string(all))
	return out, err
}

// KeepExtracts keeps extracts that Records made. One whose chart has changed since is not kept; who has no place yet gets one,
// in which the next extract of theirs is kept. It says how many it kept.
func (q *Q) KeepExtracts(made []Extract) (kept int64, err error) {
	for _, x := range made {
		query, args := "UPDATE extract SET form = ?, body = ? WHERE person_id = ? AND seq = ?", []any{x.form, []byte(x.body), x.person, x.seq}
		switch {
		case x.form == "":
			continue
		case !x.place: // a change between the reading and now was counted nowhere
			query, args = "INSERT INTO extract(person_id) VALUES (?) ON CONFLICT(person_id) DO NOTHING", []any{x.person}
		}
		n, err := q.exec(query, args...)
		if err != nil {
			return kept, err
		}
		if x.place {
			kept += n
		}
	}
	return kept, nil
}

// WithoutExtract are people whose extract was emptied by a change, at most so many.
func (q *Q) WithoutExtract(most int) ([]string, error) {
	return list(q, scalar[string], "SELECT x.person_id FROM extract x JOIN patient p ON p.id = x.person_id AND p.person_id = p.id WHERE x.body = x'' LIMIT ?", most)
}

// read asks the tables for the rows of some of the people and packs them, by the person's place.
func (q *Q) read(readings []reading, people []chart.Patient, which []int, known string) (map[int]string, error) {
	bodies := map[int]string{}
	if len(which) == 0 {
		return bodies, nil
	}
	at, ids := map[string]int{}, []string{}
	for _, i := range which {
		at[people[i].ID] = i
		ids = append(ids, people[i].ID)
	}
	persons, _ := json.Marshal(ids)
	type pair struct{ id, person string }
	merged, err := list(q, func(s scanner, p *pair) error { return s.Scan(&p.id, &p.person) },
		"SELECT p.id, p.person_id FROM json_each(?) j JOIN patient p ON p.person_id = j.value AND p.id <> p.person_id", string(persons))
	if err != nil {
		return nil, err
	}
	for _, m := range merged {
		at[m.id] = at[m.person]
		ids = append(ids, m.id)
	}
	whole, _ := json.Marshal(ids)
	packed := map[int]*packing{}
	for _, i := range which {
		packed[i] = &packing{texts: map[string]int{}}
	}
	for n, r := range readings {
		args := []any{string(whole)}
		if r.own {
			args = []any{string(persons)}
		}
		if r.twice {
			args = append(args, args[0])
		}
		if r.known {
			args = append(args, known)
		}
		rows, err := q.query(r.query, args...)
		if err != nil {
			return nil, err
		}
		if err := pack(rows, n, at, packed); err != nil {
			return nil, err
		}
	}
	for _, i := range which {
		bodies[i] = string(append(packed[i].body, end))
	}
	return bodies, nil
}

// The form of an extract: for each row the number of its statement and of its columns, then each column as its kind and
// what it holds; end closes it. A text that stood before is named by its number.
const (
	end      = 0xff
	noValue  = 0
	aNumber  = 1
	someText = 2
	sameText = 3
)

// packing is an extract as it is put together.
type packing struct {
	body  []byte
	texts map[string]int
}

// pack writes the rows of a statement behind what there is of each person.
func pack(rows *sql.Rows, n int, at map[string]int, packed map[int]*packing) error {
	defer rows.Close()
	cols, err := rows.Columns()
	if err != nil {
		return err
	}
	values := make([]any, len(cols))
	dest := make([]any, len(cols))
	for i := range dest {
		dest[i] = &values[i]
	}
	for rows.Next() {
		if err := rows.Scan(dest...); err != nil {
			return err
		}
		id, _ := values[0].(string)
		i, ok := at[id]
		if !ok {
			return fmt.Errorf("a row of nobody who was asked for")
		}
		p := packed[i]
		b := append(p.body, byte(n), byte(len(cols)-1))
		for _, v := range values[1:] {
			switch v := v.(type) {
			case nil:
				b = append(b, noValue)
			case int64:
				b = binary.AppendVarint(append(b, aNumber), v)
			case string:
				if k, stood := p.texts[v]; stood {
					b = binary.AppendUvarint(append(b, sameText), uint64(k))
					break
				}
				p.texts[v] = len(p.texts)
				b = append(binary.AppendUvarint(append(b, someText), uint64(len(v))), v...)
			default:
				return fmt.Errorf("a value of kind %T, which no extract holds", v)
			}
		}
		p.body = b
	}
	return rows.Err()
}

var errTorn = errors.New("it is torn")

// unpack takes the rows of an extract in for the person at a place.
func unpack(body string, readings []reading, i int) error {
	row, texts := packedRow{}, make([]string, 0, 128)
	for at := 0; ; {
		if at >= len(body) {
			return errTorn
		}
		if body[at] == end {
			return nil
		}
		if at+1 >= len(body) || int(body[at]) >= len(readings) {
			return errTorn
		}
		take, n := readings[body[at]].take, int(body[at+1])
		at += 2
		row.values = row.values[:0]
		for range n {
			v, next, err := column(body, at, &texts)
			if err != nil {
				return err
			}
			row.values, at = append(row.values, v), next
		}
		if err := take(i, &row); err != nil {
			return err
		}
	}
}

// packedColumn is one column of a row: text, or a number where it is one.
type packedColumn struct {
	kind   byte
	text   string
	number int64
}

func column(body string, at int, texts *[]string) (v packedColumn, next int, err error) {
	if at >= len(body) {
		return v, at, errTorn
	}
	v.kind = body[at]
	at++
	number := func() uint64 {
		var x uint64
		for shift := 0; at < len(body) && shift < 64; shift += 7 {
			b := body[at]
			at++
			if x |= uint64(b&0x7f) << shift; b < 0x80 {
				return x
			}
		}
		err = errTorn
		return 0
	}
	switch v.kind {
	case noValue:
	case aNumber:
		x := number()
		v.number = int64(x>>1) ^ -int64(x&1)
	case someText:
		n := number()
		if err != nil || n > uint64(len(body)-at) {
			return v, at, errTorn
		}
		v.text = body[at : at+int(n)]
		*texts = append(*texts, v.text)
		at += int(n)
	case sameText:
		n := number()
		if err != nil || n >= uint64(len(*texts)) {
			return v, at, errTorn
		}
		v.kind, v.text = someText, (*texts)[n]
	default:
		err = errTorn
	}
	return v, at, err
}

// packedRow is a row of an extract, scanned like one of the database.
type packedRow struct{ values []packedColumn }

// Scan puts the columns where they belong.
func (r *packedRow) Scan(dest ...any) error {
	if len(dest) != len(r.values) {
		return fmt.Errorf("%d columns, %d asked for", len(r.values), len(dest))
	}
	for i, d := range dest {
		v := r.values[i]
		switch d := d.(type) {
		case *string:
			if v.kind != someText {
				return fmt.Errorf("column %d is no text", i+1)
			}
			*d = v.text
		case *int:
			if v.kind != aNumber {
				return fmt.Errorf("column %d is no number", i+1)
			}
			*d = int(v.number)
		case *bool:
			if v.kind != aNumber {
				return fmt.Errorf("column %d is neither yes nor no", i+1)
			}
			*d = v.number != 0
		default:
			return fmt.Errorf("column %d is asked for as %T", i+1, d)
		}
	}
	return nil
}
