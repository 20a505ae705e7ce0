package result

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"strconv"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// Receive stores what came and returns its acknowledgement. Of a batch each message is
// stored and answered by itself, within the answer to the batch.
func (a *Acts) Receive(peer string, raw []byte) []byte {
	batch, is := hl7v2.ParseBatch(raw)
	if !is {
		return a.receive(peer, raw)
	}
	var answers [][]byte
	for _, m := range batch.Messages {
		answer := a.receive(peer, m)
		if len(answer) == 0 {
			return nil // not stored: all of it is sent again, and what was stored is known then
		}
		answers = append(answers, answer)
	}
	if batch.Wrong != "" {
		if _, err := a.refused(peer, hl7v2.Header{}, batch.Envelope, batch.Wrong); err != nil {
			return nil
		}
	}
	return batch.Answer(answers, act.NewID(), a.Clock().In(a.Location))
}

// receive stores a message as it came and returns its acknowledgement: AA once it is durably
// stored, whether or not it can be understood or matched; AR when it is no HL7 v2 message,
// which is kept and listed too; nothing when it could not be stored, so that the sender
// sends it again.
func (a *Acts) receive(peer string, raw []byte) []byte {
	at := a.Clock().In(a.Location)
	h, no := hl7v2.ParseHeader(raw)
	var id int64
	var storing error
	if no != nil {
		id, storing = a.refused(peer, h, raw, no.Error())
	} else {
		sum := sha256.Sum256(raw)
		in := store.Incoming{ReceivedAt: a.Clock(), Sender: sender(h), Control: h.Control, Raw: raw, State: result.Stored}
		storing = a.Store.Write(context.Background(), func(q *store.Q) (err error) {
			id, err = q.AddIncoming(in, peer, sum[:])
			return err
		})
	}
	switch {
	case storing != nil:
		slog.Error("an incoming message could not be stored", "error", storing)
		if h.Control == "" {
			return nil
		}
		return hl7v2.Ack(h, "AE", "The message could not be stored here. Send it again later.", "IN0", at)
	case no != nil:
		return hl7v2.Ack(h, "AR", no.Error(), "IN"+strconv.FormatInt(id, 10), at)
	}
	act.Nudge(a.wake)
	return hl7v2.Ack(h, "AA", "", "IN"+strconv.FormatInt(id, 10), at)
}

func sender(h hl7v2.Header) string { return h.SendingApp + "|" + h.SendingFacility }

// refused keeps what is refused, with the reason, and lists it until a person has settled
// it. What comes again while it is listed is kept, and listed once.
func (a *Acts) refused(peer string, h hl7v2.Header, raw []byte, reason string) (id int64, err error) {
	sum := sha256.Sum256(raw)
	reason = "Refused: " + reason + "."
	err = a.Write(context.Background(), act.Actor{Name: "the application"}, func(t *act.Tx) error {
		listed, err := t.RefusedWaits(sum[:])
		if err != nil {
			return err
		}
		in := store.Incoming{ReceivedAt: t.Now, Sender: sender(h), Control: h.Control, Raw: raw, State: result.Refused, Reason: reason}
		if id, err = t.AddIncoming(in, peer, sum[:]); err != nil || listed {
			return err
		}
		part := store.MessagePart{Inbox: id, Part: 1}
		if err := t.SetPart(part, result.Quarantined, reason); err != nil {
			return err
		}
		t.Tell(act.LineEvent, heldID(part), "")
		return errors.Join(t.OpenLine(act.NewID(), line.Held, heldID(part), "", "", line.Open, t.Now),
			t.RankLine(line.Held, heldID(part), line.Open, line.ToAct))
	})
	return id, err
}

// tooLargeKept is how much is kept of a message over the limit.
const tooLargeKept = 64 << 10

// TooLarge refuses a message over the limit; its beginning is kept.
func (a *Acts) TooLarge(peer string, beginning []byte) []byte {
	reason := fmt.Sprintf("the message is larger than %d bytes; only its beginning is kept", len(beginning))
	h, _ := hl7v2.ParseHeader(beginning)
	if _, err := a.refused(peer, h, beginning[:min(len(beginning), tooLargeKept)], reason); err != nil {
		slog.Error("a message over the limit could not be listed", "error", err)
	}
	return hl7v2.Ack(h, "AR", reason, "IN0", a.Clock().In(a.Location))
}

// Inbox files stored messages until ctx ends. Several that wait are filed in one
// transaction, each undone alone if it fails.
func (a *Acts) Inbox(ctx context.Context) {
	for ctx.Err() == nil {
		n, err := a.FileStored(ctx)
		if err != nil && ctx.Err() == nil {
			slog.Error("incoming messages could not be filed", "error", err)
			n = 0
		}
		if n > 0 {
			continue
		}
		select {
		case <-ctx.Done():
		case <-a.wake:
			time.Sleep(gather)
		case <-time.After(5 * time.Second):
		}
	}
}

// A burst is gathered for a moment, so that many messages share one transaction.
const (
	gather      = 30 * time.Millisecond
	filingBatch = 50
)

// FileStored files a batch of stored messages and says how many there were.
func (a *Acts) FileStored(ctx context.Context) (n int, err error) {
	err = a.Write(ctx, act.Actor{Name: "the application"}, func(t *act.Tx) error {
		waiting, err := t.StoredIncoming(filingBatch)
		n = len(waiting)
		if err != nil {
			return err
		}
		for _, in := range waiting {
			if err := a.fileMessage(t, in); err != nil {
				return err
			}
		}
		return nil
	})
	return n, err
}
