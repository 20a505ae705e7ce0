package record

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"slices"
	"strings"
	"sync"

	"deftledger/core/outside"
	"deftledger/exchange/ccda"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// readings keeps the records that were read last, by their sum: what came never changes, and a large one takes a while to read.
type readings struct {
	mu   sync.Mutex
	held map[string]*reading
	last []string // those used last at the end
	size int
}

type reading struct {
	record outside.Record
	err    error
	size   int
}

// mostHeld bounds what is kept read, in bytes as it came.
const mostHeld = 48 << 20

// raw reads a record and gives its sum.
func (r *readings) raw(raw []byte) (sum string, out outside.Record, err error) {
	h := sha256.Sum256(raw)
	sum = hex.EncodeToString(h[:])
	out, err = r.of(sum, raw)
	return sum, out, err
}

// of reads the record of a sum. What it gives back is shared, and not to be changed.
func (r *readings) of(sum string, raw []byte) (outside.Record, error) {
	r.mu.Lock()
	x := r.held[sum]
	if x != nil {
		r.last = append(slices.DeleteFunc(r.last, func(s string) bool { return s == sum }), sum)
	}
	r.mu.Unlock()
	if x != nil {
		return x.record, x.err
	}
	x = &reading{size: len(raw)}
	x.record, x.err = readRecord(raw)
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.held == nil {
		r.held = map[string]*reading{}
	}
	if r.held[sum] == nil {
		r.held[sum], r.last, r.size = x, append(r.last, sum), r.size+x.size
	}
	for r.size > mostHeld && len(r.last) > 1 {
		gone := r.held[r.last[0]]
		delete(r.held, r.last[0])
		r.last, r.size = r.last[1:], r.size-gone.size
	}
	return x.record, x.err
}

// readRecord reads a record in whichever form it came: FHIR in JSON, else a clinical document. The error is the reason in words.
func readRecord(raw []byte) (outside.Record, error) {
	read, never := ccda.Read, ccda.ErrUnreadable
	if fhir.IsRecord(raw) {
		read, never = fhir.ReadRecord, fhir.ErrUnreadable
	}
	out, err := read(raw)
	if err != nil {
		return out, errors.New(strings.TrimPrefix(err.Error(), never.Error()+": "))
	}
	return out, nil
}

// Seen is from when to when a patient was at the house of a record, as it says; empty where it does not, or cannot be read.
func (a *Acts) Seen(q *store.Q, r store.OutsideRecord) (from, to string, err error) {
	if r.Unreadable != "" {
		return "", "", nil
	}
	if !a.reads.has(r.Sum) {
		if r, err = q.OutsideRecordByID(r.ID); err != nil {
			return "", "", err
		}
	}
	read, err := a.reads.of(r.Sum, r.Raw)
	return read.From, read.To, err
}

func (r *readings) has(sum string) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.held[sum] != nil
}
