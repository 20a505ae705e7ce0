package demo

import (
	"context"

	"deftledger/app/record"
	"deftledger/standin"
)

// sent are records that other houses sent of Ottoline: Northsound's discharge summary, which she has confirmed, and Gannet Bay's, about
// which nobody has asked her yet.
func (b *builder) sent() {
	jonah := b.tokens["jonah"]
	for _, x := range []struct {
		daysAgo         int
		clock, doc, why string
		says            string
	}{{2, "11:30", "northsound-discharge.xml", "", "confirmed"}, {1, "16:30", "gannet-ccd.xml", "The clinic writes her initial, and no sex.", ""}} {
		b.later(x.daysAgo, x.clock, func(ctx context.Context) error {
			raw, err := standin.Record(x.doc)
			if err != nil {
				return err
			}
			var got record.Received
			if got, err = b.a.Record.Receive(ctx, jonah, b.ids["ottoline"], raw, x.why); err != nil || x.says == "" {
				return err
			}
			return b.a.Record.Confirm(ctx, jonah, got.ID, x.says, "")
		})
	}
}
