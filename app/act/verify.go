package act

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"runtime"
	"slices"
	"sync"

	"deftledger/core/ledger"
	"deftledger/store"
)

// Verification is what Verify is asked to do.
type Verification struct {
	Anchors  []ledger.Head         // heads kept elsewhere that the chain has to come by
	Since    ledger.Head           // begin after this head; the zero head for the whole ledger
	Progress func(done, all int64) // told now and then; may be nil
}

// verifyBatch is how many entries are read and held against their rows at a time.
const verifyBatch = 1000

// Verify walks the ledger and holds it against the witness, the anchors given and the
// working rows. Memory does not grow with the ledger: entries come in batches, each is
// checked by itself on all processors, and only the links between them one after another.
func Verify(ctx context.Context, s *store.Store, k *Keys, v Verification) (ledger.Finding, error) {
	var f ledger.Finding
	// The trail is walked beside the ledger: neither waits for the other.
	trail := make(chan trailFound, 1)
	walking, stop := context.WithCancel(ctx)
	defer stop()
	if v.Since.Seq == 0 {
		go func() { trail <- walkTrail(walking, s, k) }()
		defer func() { stop(); <-trail }()
	}
	err := s.Long(ctx, func(q *store.Q) error {
		chain := ledger.NewChain(k.Public, v.Since, func(chart string) (ledger.Link, error) {
			if v.Since.Seq == 0 {
				return ledger.Link{}, nil
			}
			return q.LinkBefore(chart, v.Since.Seq)
		})
		heads := newHeadReader(k, v.Since.Seq)
		defer heads.close()
		for _, h := range append(slices.Clone(v.Anchors), v.Since) {
			if h.Seq == 0 {
				continue
			}
			if err := chain.Expect(h, q.EntryHash); err != nil {
				return err
			}
		}
		last, err := q.LedgerHead()
		if err != nil {
			return err
		}
		for {
			entries, err := q.Entries(chain.Seq(), verifyBatch)
			if err != nil {
				return err
			}
			if len(entries) == 0 {
				break
			}
			if err := heads.upTo(entries[len(entries)-1].Seq, chain, q.EntryHash); err != nil {
				return err
			}
			rows, err := readRows(q, entries)
			if err != nil {
				return err
			}
			verdicts := make([]string, len(entries))
			unlike := make([]string, len(entries))
			inParallel(len(entries), func(i int) {
				if verdicts[i] = entries[i].Sealed(k.Public); verdicts[i] == "" {
					unlike[i] = rows.unlike(entries[i])
				}
			})
			for i, e := range entries {
				on, err := chain.Follow(e, verdicts[i])
				if err != nil {
					return err
				}
				if !on {
					f = chain.End()
					return nil
				}
				if f.Wrong == "" {
					f.Wrong = unlike[i] // told if the chain itself is good
				}
			}
			if v.Progress != nil {
				v.Progress(chain.Seq(), last.Seq)
			}
		}
		if err := heads.upTo(1<<62, chain, q.EntryHash); err != nil {
			return err
		}
		row := f.Wrong
		if f = chain.End(); f.Wrong != "" {
			return nil
		}
		if f.Wrong = row; f.Wrong != "" {
			return nil
		}
		if !heads.some && last.Seq > 0 {
			f.Wrong = "the witness kept beside the sealing key is gone; without it a cut-off tail cannot be excluded"
			return nil
		}
		if v.Since.Seq == 0 {
			if f.Wrong, err = q.Unsealed(); err != nil || f.Wrong != "" {
				return err
			}
			found := <-trail
			trail <- found
			if found.unwitnessed && last.Seq > 0 {
				f.Wrong = "the trail of acts of these data was never witnessed beside the sealing key"
				return nil
			}
			f.Groups, f.Wrong = found.groups, found.wrong
			return found.err
		}
		return err
	})
	return f, err
}

// trailFound is what a walk of the trail found.
type trailFound struct {
	unwitnessed bool
	groups      int64
	wrong       string
	err         error
}

// walkTrail holds the trail against its witness and the rows it guards.
func walkTrail(ctx context.Context, s *store.Store, k *Keys) (out trailFound) {
	out.err = s.Long(ctx, func(q *store.Q) error {
		head, witnessed, err := witnessedTrail(q, k)
		if err != nil {
			return err
		}
		if out.unwitnessed = len(witnessed) == 0 && head.Seq > 0; out.unwitnessed {
			return nil
		}
		out.groups, out.wrong, err = q.CheckTrail(witnessed)
		return err
	})
	return out
}

// inParallel runs a check of each of n things on all processors.
func inParallel(n int, check func(i int)) {
	var wg sync.WaitGroup
	workers := runtime.GOMAXPROCS(0)
	for w := range workers {
		wg.Go(func() {
			for i := w; i < n; i += workers {
				check(i)
			}
		})
	}
	wg.Wait()
}

// headReader reads the witness beside the walk, so that it is never in memory whole.
type headReader struct {
	heads chan ledger.Head
	stop  chan struct{}
	err   error // of reading, once heads is closed
	next  ledger.Head
	after int64
	some  bool
}

var errStopped = errors.New("stopped")

func newHeadReader(k *Keys, after int64) *headReader {
	r := &headReader{heads: make(chan ledger.Head, 256), stop: make(chan struct{}), after: after}
	go func() {
		defer close(r.heads)
		if err := k.EachHead(func(h ledger.Head) error {
			select {
			case r.heads <- h:
				return nil
			case <-r.stop:
				return errStopped
			}
		}); !errors.Is(err, errStopped) {
			r.err = err
		}
	}()
	return r
}

func (r *headReader) close() { close(r.stop) }

// upTo gives the chain the heads up to an entry, and those that were noted before them.
func (r *headReader) upTo(seq int64, chain *ledger.Chain, hash func(int64) (string, error)) error {
	for {
		if r.next.Seq == 0 {
			h, more := <-r.heads
			if !more {
				return r.err
			}
			r.next, r.some = h, true
		}
		if r.next.Seq > seq {
			return nil
		}
		if r.next.Seq > r.after { // an incremental walk leaves earlier ones alone
			if err := chain.Expect(r.next, hash); err != nil {
				return err
			}
		}
		r.next = ledger.Head{}
	}
}

// workingRows are the rows that some entries sealed, as they are now.
type workingRows struct {
	notes    map[string]store.SignedNote
	reviews  map[string][]int
	messages map[string]string
}

func readRows(q *store.Q, entries []ledger.Entry) (workingRows, error) {
	var notes, reports, messages []string
	for _, e := range entries {
		switch e.Kind {
		case "note", "retraction":
			notes = append(notes, e.Subject)
		case "result review":
			reports = append(reports, e.Subject)
		case "message":
			messages = append(messages, e.Subject)
		}
	}
	var w workingRows
	var err1, err2, err3 error
	w.notes, err1 = q.SignedNotes(notes)
	w.reviews, err2 = q.ReviewFolios(reports)
	w.messages, err3 = q.MessageTexts(messages)
	return w, errors.Join(err1, err2, err3)
}

// unlike says how the working rows differ from a sealed entry; "" when they do not.
func (w workingRows) unlike(e ledger.Entry) string {
	switch e.Kind {
	case "note":
		n, there := w.notes[e.Subject]
		if !there || n.Folio != e.Folio || n.PatientID != e.ChartID {
			return fmt.Sprintf("folio %d of chart %s seals a note that is no longer marked signed", e.Folio, e.ChartID)
		}
		var sealed struct{ Parts map[string]string }
		if err := json.Unmarshal(e.Content, &sealed); err != nil {
			return fmt.Sprintf("folio %d of chart %s seals a note that cannot be read", e.Folio, e.ChartID)
		}
		for part, text := range n.Parts {
			if sealed.Parts[part] != text {
				return fmt.Sprintf("the %s of the note under folio %d of chart %s was changed after signing", part, e.Folio, e.ChartID)
			}
		}
		for part, text := range sealed.Parts {
			if _, there := n.Parts[part]; !there && text != "" {
				return fmt.Sprintf("the %s of the note under folio %d of chart %s was removed after signing", part, e.Folio, e.ChartID)
			}
		}
	case "retraction":
		if w.notes[e.Subject].Retracted != e.Folio {
			return fmt.Sprintf("folio %d of chart %s retracts a note that is not marked so", e.Folio, e.ChartID)
		}
	case "result review":
		if !slices.Contains(w.reviews[e.Subject], e.Folio) {
			return fmt.Sprintf("folio %d of chart %s seals a review that is not there", e.Folio, e.ChartID)
		}
	case "message":
		var sealed struct{ Text string }
		if err := json.Unmarshal(e.Content, &sealed); err != nil || w.messages[e.Subject] != sealed.Text {
			return fmt.Sprintf("the message under folio %d of chart %s is not as it was sealed", e.Folio, e.ChartID)
		}
	}
	return ""
}

// witnessedTrail is the head of the trail, and what was witnessed of that trail by its links.
func witnessedTrail(q *store.Q, k *Keys) (store.TrailHead, map[int64]string, error) {
	head, err := q.TrailHead()
	if err != nil {
		return head, nil, err
	}
	witnessed, err := k.TrailHeads(head.Of)
	return head, witnessed, err
}

// catchUpTrail notes the head of the trail, unless what was witnessed of it is not there.
func catchUpTrail(ctx context.Context, s *store.Store, k *Keys) error {
	return s.Read(ctx, func(q *store.Q) error {
		head, witnessed, err := witnessedTrail(q, k)
		if err != nil {
			return err
		}
		var newest int64
		for seq := range witnessed {
			newest = max(newest, seq)
		}
		if newest > 0 {
			hash, err := q.TrailHash(newest)
			if err != nil {
				return err
			}
			if hash != witnessed[newest] {
				return errors.New("the trail of acts is not the one that was witnessed; run \"deftledger verify\"")
			}
		}
		if head.Seq <= newest {
			return nil
		}
		return k.WitnessTrail(head)
	})
}

// What a start does not pass over silently.
var (
	ErrNoWitness = errors.New("the witness beside the sealing key is gone, and the ledger has entries: put it back from where you keep a copy of the " +
		"key directory; to begin a new one, after \"deftledger verify\", start once with --accept-lost-witness")
	ErrForeignKey = errors.New("the sealing key is not the one that this ledger was sealed with, or its newest entry was changed: put the key back from " +
		"where you keep a copy, and run \"deftledger verify\"")
)

// WitnessAnew begins a new witness with the ledger and the trail as they are.
func WitnessAnew(ctx context.Context, s *store.Store, k *Keys) error {
	return s.Read(ctx, func(q *store.Q) error {
		last, err := q.LedgerHead()
		if err == nil {
			err = k.Witness(last)
		}
		if err != nil {
			return err
		}
		head, err := q.TrailHead()
		if err == nil && head.Seq > 0 {
			err = k.WitnessTrail(head)
		}
		return err
	})
}

// CatchUp notes in the witness what was sealed just before a crash: it reads what follows
// the last witnessed head, and no more. It refuses to witness what does not follow it.
func CatchUp(ctx context.Context, s *store.Store, k *Keys) error {
	known, err := k.LastHead()
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	if err := s.Read(ctx, func(q *store.Q) error {
		last, err := q.LedgerHead()
		if err != nil {
			return err
		}
		if last.Seq > 0 {
			newest, err := q.Entries(last.Seq-1, 1)
			if err != nil {
				return err
			}
			if len(newest) == 1 && newest[0].Sealed(k.Public) != "" {
				return ErrForeignKey
			}
		}
		if known.Seq == 0 && last.Seq > 1 { // one may be lost by a crash before it was noted
			return ErrNoWitness
		}
		if last.Seq == known.Seq && last.Hash == known.Hash {
			return nil
		}
		chain := ledger.NewChain(k.Public, known, func(chart string) (ledger.Link, error) { return q.LinkBefore(chart, known.Seq) })
		if known.Seq > 0 {
			if err := chain.Expect(known, q.EntryHash); err != nil {
				return err
			}
		}
		for {
			entries, err := q.Entries(chain.Seq(), verifyBatch)
			if err != nil {
				return err
			}
			for _, e := range entries {
				if on, err := chain.Follow(e, e.Sealed(k.Public)); err != nil {
					return err
				} else if !on {
					break
				}
			}
			if len(entries) < verifyBatch || chain.Wrong != "" {
				break
			}
		}
		if f := chain.End(); f.Wrong != "" {
			return fmt.Errorf("the ledger is not good and is not witnessed further; run \"deftledger verify\": %s", f.Wrong)
		}
		return k.Witness(last)
	}); err != nil {
		return err
	}
	return catchUpTrail(ctx, s, k)
}
