package act

import (
	"encoding/json"

	"deftledger/core/outside"
	"deftledger/store"
)

// Keeper holds back from others what a patient wishes, by what was said last of each part, subject and entry.
func (o *Office) Keeper(q *store.Q, patient string) (k outside.Keeper, err error) {
	k = outside.Keeper{Sensitive: o.Sensitive, Cleared: map[string]bool{}}
	all, err := q.InquiriesAbout(store.SharingWish, patient)
	if err != nil {
		return k, err
	}
	said := map[string]bool{}
	for _, i := range all { // newest first
		var w struct {
			Of, ID, Title string
			Held          bool
		}
		if err := json.Unmarshal(i.Said, &w); err != nil {
			return k, err
		}
		switch key := w.Of + " " + w.ID; {
		case said[key]:
			continue
		case w.Held:
			k.Wishes = append(k.Wishes, outside.Wish{Of: w.Of, ID: w.ID, Title: w.Title})
		case w.Of == outside.OfEntry:
			k.Cleared[w.ID] = true
		}
		said[w.Of+" "+w.ID] = true
	}
	return k, nil
}
