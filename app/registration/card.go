package registration

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	_ "image/png" // cards come as PNG too
	"slices"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// cardForm begins the form of a document that is the picture of a card, before the identifier
// of its coverage.
const cardForm = "card "

// Limits of a picture: what is greater is refused before it is unpacked.
const (
	cardBytes  = 8 << 20
	cardPixels = 40_000_000
	cardWidth  = 1600 // what is kept is no wider
)

// AddCard keeps the picture of an insurance card as a document of the patient. The picture is unpacked and
// written anew, so that nothing of the file that came is kept but what it shows.
func (a *Acts) AddCard(ctx context.Context, who act.Actor, patient, coverage, side string, picture []byte) (RegistrationView, error) {
	if err := act.Allow(who, act.Registration); err != nil {
		return RegistrationView{}, err
	}
	if side != "front" && side != "back" {
		return RegistrationView{}, act.Refuse(act.Invalid, "A card has a front and a back.")
	}
	written, err := rewritten(picture)
	if err != nil {
		return RegistrationView{}, err
	}
	err = a.Act(ctx, who, act.Registration, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		versions, err := t.Registrations(p.ID)
		if err != nil {
			return err
		}
		var c chart.Coverage
		if len(versions) > 0 {
			if i := slices.IndexFunc(versions[0].Content.Coverages, func(c chart.Coverage) bool { return c.ID == coverage }); i >= 0 {
				c = versions[0].Content.Coverages[i]
			}
		}
		if c.ID == "" {
			return act.Refuse(act.Missing, "There is no such coverage; keep the registration first.")
		}
		title := "Card of " + c.Payer + ", " + side
		page, err := pdf.Picture(a.Practice, title, p.Name.Given+" "+p.Name.Family+", born "+chart.SayDay(p.BirthDate)+", "+p.Record, written)
		if err != nil {
			return err
		}
		if err := t.AddDocument(store.Document{ID: act.NewID(), PatientID: p.ID, Title: title, PDF: page, MadeBy: who.ID, MadeAt: t.Now,
			Form: cardForm + c.ID}); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		return t.Audit("keep a card", p.ID, "", side)
	})
	if err != nil {
		return RegistrationView{}, err
	}
	return a.Registration(ctx, who, patient)
}

// rewritten unpacks a picture and writes it anew as JPEG, no wider than it has to be.
func rewritten(picture []byte) ([]byte, error) {
	bad := func() error {
		return act.Refuse(act.Invalid, "This is no picture that can be read. Take it as JPEG or PNG, up to 8 MB.")
	}
	if len(picture) == 0 || len(picture) > cardBytes {
		return nil, bad()
	}
	head, _, err := image.DecodeConfig(bytes.NewReader(picture))
	if err != nil || head.Width < 1 || head.Height < 1 || head.Width > 20_000 || head.Height > 20_000 || head.Width*head.Height > cardPixels {
		return nil, bad()
	}
	img, _, err := image.Decode(bytes.NewReader(picture))
	if err != nil {
		return nil, bad()
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, smaller(img), &jpeg.Options{Quality: 85}); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// smaller takes every nth point of a picture that is wider than is kept.
func smaller(img image.Image) image.Image {
	b := img.Bounds()
	n := (max(b.Dx(), b.Dy()) + cardWidth - 1) / cardWidth
	if n <= 1 {
		return img
	}
	out := image.NewRGBA(image.Rect(0, 0, max(1, b.Dx()/n), max(1, b.Dy()/n)))
	for y := range out.Bounds().Dy() {
		for x := range out.Bounds().Dx() {
			out.Set(x, y, img.At(b.Min.X+x*n, b.Min.Y+y*n))
		}
	}
	return out
}

// Card reads the picture of a card, as PDF.
func (a *Acts) Card(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	patient := ""
	err = a.Look(ctx, who, act.Registration, func(q *store.Q) error {
		d, err := q.DocumentByID(id)
		if err == nil && len(d.Form) <= len(cardForm) || err == nil && d.Form[:len(cardForm)] != cardForm {
			err = store.ErrNotFound // any other document stands under another right
		}
		out, patient = d.PDF, d.PatientID
		return act.NotFound(err, "card")
	})
	if err != nil {
		return nil, err
	}
	return out, a.Saw(ctx, who, "open card", patient, id)
}
