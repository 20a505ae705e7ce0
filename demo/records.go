package demo

import (
	"context"

	"deftledger/app/record"
	"deftledger/standin"
)

// sent are records that other houses sent: of Ottoline Northsound's discharge summary, which she has confirmed, and Gannet Bay's, about which
// nobody has asked her yet; of Halvard what his practice before ours wrote, of Leocadia a night in Northsound's emergency room. More lie at
// the exchange.
func (b *builder) sent() {
	jonah := b.tokens["jonah"]
	for _, x := range []struct {
		whose, clock, doc, why string
		daysAgo                int
		says                   string
	}{{"halvard", "08:30", "skuahead-ccd.xml", "They write a second initial.", 4, ""}, {"ottoline", "11:30", "northsound-discharge.xml", "", 2, "confirmed"}, {"leocadia", "07:20", "northsound-emergency.json", "Northsound writes her name with a k.", 2, ""},
		{"ottoline", "16:30", "gannet-ccd.xml", "The clinic writes her initial, and no sex.", 1, ""}} {
		b.later(x.daysAgo, x.clock, func(ctx context.Context) error {
			raw, err := standin.Record(x.doc)
			if x.whose != "ottoline" { // hers are from before
				raw, err = standin.RecordOf(x.doc, b.now.AddDate(0, 0, -x.daysAgo))
			}
			if err != nil {
				return err
			}
			var got record.Received
			if got, err = b.a.Record.Receive(ctx, jonah, b.ids[x.whose], raw, x.why); err != nil || x.says == "" {
				return err
			}
			return b.a.Record.Confirm(ctx, jonah, got.ID, x.says, "")
		})
	}
}
