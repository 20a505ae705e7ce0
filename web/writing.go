package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app"
	"deftledger/core/coding"
	"deftledger/core/measure"
	"deftledger/core/note"
)

// describeWriting registers what a note is written with.
func describeWriting(api huma.API, s *server) {
	get(api, "writing-tools", "/api/writing", func(ctx context.Context, who app.Actor, _ *nothing) (app.WritingView, error) {
		return s.app.WritingTools(ctx, who)
	})
	get(api, "medical-words", "/api/writing/medical", func(ctx context.Context, who app.Actor, _ *nothing) ([]string, error) {
		return s.app.MedicalWords(ctx, who)
	})
	act(api, http.MethodPost, "add-word", "/api/writing/words", func(ctx context.Context, who app.Actor, in *body[struct {
		Word string `json:"word" maxLength:"60"`
	}]) (*nothing, error) {
		return nil, s.app.AddWord(ctx, who, in.Body.Word)
	})
	noteAct(api, "set-findings", "/api/notes/{id}/findings", func(ctx context.Context, who app.Actor, id string, in struct {
		Changes []FindingChange `json:"changes" maxItems:"400"`
	}) (app.NoteView, error) {
		var cs []note.Change
		for _, c := range in.Changes {
			cs = append(cs, c.core())
		}
		return s.app.SetFindings(ctx, who, id, cs)
	})
	// What is typed is clinical: it travels in the body.
	act(api, http.MethodPost, "read-line", "/api/findings/read", func(ctx context.Context, who app.Actor, in *body[struct {
		Area string   `json:"area" enum:"review,examination"`
		Text string   `json:"text" maxLength:"2000"`
		Rest []string `json:"rest" maxItems:"60"`
		Sex  string   `json:"sex" maxLength:"1"`
	}]) (*body[app.LineRead], error) {
		out, err := s.app.ReadLine(ctx, who, note.Area(in.Body.Area), in.Body.Text, in.Body.Rest, in.Body.Sex)
		return &body[app.LineRead]{out}, err
	})
	act(api, http.MethodPost, "search-findings", "/api/findings/search", func(ctx context.Context, who app.Actor, in *body[struct {
		Patient string `json:"patient,omitempty" maxLength:"64"`
		Area    string `json:"area" enum:"review,examination"`
		System  string `json:"system" maxLength:"60"`
		Finding string `json:"finding" maxLength:"60"`
	}]) (*body[[]app.FoundNote], error) {
		out, err := s.app.SearchFindings(ctx, who, in.Body.Patient, note.Area(in.Body.Area), in.Body.System, in.Body.Finding)
		return &body[[]app.FoundNote]{out}, err
	})
	noteAct(api, "ask", "/api/notes/{id}/interviews", func(ctx context.Context, who app.Actor, id string, in struct {
		Interview string `json:"interview" maxLength:"60"`
		Drop      bool   `json:"drop"`
	}) (app.NoteView, error) {
		return s.app.Ask(ctx, who, id, in.Interview, in.Drop)
	})
	noteAct(api, "answer", "/api/notes/{id}/answers", func(ctx context.Context, who app.Actor, id string, in struct {
		Interview string        `json:"interview" maxLength:"60"`
		Link      string        `json:"link" maxLength:"120"`
		Values    []note.Answer `json:"values" maxItems:"40"`
		Was       int           `json:"was"`
	}) (app.NoteView, error) {
		return s.app.Answer(ctx, who, id, in.Interview, in.Link, in.Values, in.Was)
	})
	act(api, http.MethodPost, "preview-forward", "/api/notes/{id}/forward/preview", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body forwardBody
	}) (*body[app.Forwarded], error) {
		out, err := s.app.PreviewForward(ctx, who, in.ID, in.Body.From, in.Body.wanted())
		return &body[app.Forwarded]{out}, err
	})
	act(api, http.MethodPost, "forward", "/api/notes/{id}/forward", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body forwardBody
	}) (*body[app.Forwarded], error) {
		out, err := s.app.Forward(ctx, who, in.ID, in.Body.From, in.Body.wanted())
		return &body[app.Forwarded]{out}, err
	})
	noteAct(api, "looked", "/api/notes/{id}/looked", func(ctx context.Context, who app.Actor, id string, in struct {
		Refs     []string `json:"refs" maxItems:"200"`
		Decision string   `json:"decision" enum:"keep,change,remove"`
		Text     string   `json:"text,omitempty" maxLength:"4000"`
	}) (app.NoteView, error) {
		return s.app.Looked(ctx, who, id, in.Refs, in.Decision, in.Text)
	})
	noteAct(api, "bring", "/api/notes/{id}/bring", func(ctx context.Context, who app.Actor, id string, in struct {
		Lines []string `json:"lines" maxItems:"200"`
	}) (app.NoteView, error) {
		return s.app.Bring(ctx, who, id, in.Lines)
	})
	get(api, "beside", "/api/notes/{id}/beside", func(ctx context.Context, who app.Actor, in *PathID) ([]app.BesideGroup, error) {
		return s.app.Beside(ctx, who, in.ID)
	})
	get(api, "last-findings", "/api/notes/{id}/last", func(ctx context.Context, who app.Actor, in *PathID) ([]app.LastSystem, error) {
		return s.app.LastFindings(ctx, who, in.ID)
	})
	noteAct(api, "save-drawing", "/api/notes/{id}/drawings", func(ctx context.Context, who app.Actor, id string, in struct {
		ID      string `json:"id" maxLength:"64"`
		Outline string `json:"outline" maxLength:"20"`
		Caption string `json:"caption" maxLength:"200"`
		Strokes string `json:"strokes"`
		Version int    `json:"version"`
	}) (app.NoteView, error) {
		return s.app.SaveDrawing(ctx, who, id, app.DrawingView{ID: in.ID, Outline: in.Outline, Caption: in.Caption, Strokes: in.Strokes, Version: in.Version})
	})
	get(api, "outlines", "/api/outlines", func(_ context.Context, _ app.Actor, _ *nothing) (map[string]string, error) {
		return note.Outlines, nil
	})
	noteAct(api, "leave-note", "/api/notes/{id}/leave", func(ctx context.Context, who app.Actor, id string, in struct {
		Staff string `json:"staff" maxLength:"64"`
		Words string `json:"words" maxLength:"500"`
	}) (app.NoteView, error) {
		return s.app.LeaveNote(ctx, who, id, in.Staff, in.Words)
	})
	get(api, "colleagues", "/api/colleagues", func(ctx context.Context, who app.Actor, _ *nothing) ([]app.Colleague, error) {
		return s.app.Colleagues(ctx, who)
	})
	get(api, "unsigned", "/api/unsigned", func(ctx context.Context, who app.Actor, _ *nothing) ([]app.Waiting, error) {
		return s.app.Unsigned(ctx, who)
	})
	get(api, "closing-list", "/api/notes/{id}/closing", func(ctx context.Context, who app.Actor, in *PathID) (app.ClosingView, error) {
		return s.app.ClosingList(ctx, who, in.ID)
	})
	act(api, http.MethodPost, "retract-note", "/api/notes/{id}/retract", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Secret  string `json:"secret,omitempty" maxLength:"1000"`
			Reason  string `json:"reason" maxLength:"2000"`
			Belongs string `json:"belongs,omitempty" maxLength:"64"`
		}
	}) (*nothing, error) {
		return nil, s.app.Retract(ctx, who, in.ID, in.Body.Secret, in.Body.Reason, in.Body.Belongs)
	})
	act(api, http.MethodPost, "file-section", "/api/notes/{id}/documents", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Section string `json:"section" maxLength:"60"`
			Sign    bool   `json:"sign,omitempty" doc:"Sign the section of a draft by itself"`
			Secret  string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[app.DocumentView], error) {
		out, err := s.app.FileSection(ctx, who, in.ID, in.Body.Section, in.Body.Sign, in.Body.Secret)
		return &body[app.DocumentView]{out}, err
	})
	act(api, http.MethodPost, "send-fax", "/api/documents/{id}/fax", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Number string `json:"number" maxLength:"30"`
		}
	}) (*nothing, error) {
		return nil, s.app.SendFax(ctx, who, in.ID, in.Body.Number)
	})

	noteAct(api, "answer-advice", "/api/notes/{id}/advice", func(ctx context.Context, who app.Actor, id string, in struct {
		Key    string `json:"key" maxLength:"400"`
		Reason string `json:"reason,omitempty" maxLength:"500"`
	}) (app.NoteView, error) {
		return s.app.AnswerAdvice(ctx, who, id, in.Key, in.Reason)
	})
	noteAct(api, "dismiss-code", "/api/notes/{id}/supported/dismiss", func(ctx context.Context, who app.Actor, id string, in struct {
		Code string `json:"code" maxLength:"10"`
	}) (app.NoteView, error) {
		return s.app.DismissCode(ctx, who, id, in.Code)
	})
	noteAct(api, "say-of-diagnosis", "/api/notes/{id}/diagnoses/words", func(ctx context.Context, who app.Actor, id string, in note.Said) (app.NoteView, error) {
		return s.app.SayOfDiagnosis(ctx, who, id, in)
	})
	noteAct(api, "join-diagnosis", "/api/notes/{id}/diagnoses/join", func(ctx context.Context, who app.Actor, id string, in struct {
		Code string `json:"code" maxLength:"10"`
		On   bool   `json:"on"`
	}) (app.NoteView, error) {
		return s.app.JoinDiagnosis(ctx, who, id, in.Code, in.On)
	})
	act(api, http.MethodPost, "ask-back", "/api/notes/{id}/follow-up", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			When   string `json:"when" maxLength:"20"`
			Reason string `json:"reason,omitempty" maxLength:"300"`
		}
	}) (*body[app.FollowUpView], error) {
		out, err := s.app.AskBack(ctx, who, in.ID, in.Body.When, in.Body.Reason)
		return &body[app.FollowUpView]{out}, err
	})
	get(api, "charges", "/api/notes/{id}/charges", func(ctx context.Context, who app.Actor, in *PathID) (app.ChargesView, error) {
		return s.app.Charges(ctx, who, in.ID)
	})
	act(api, http.MethodPut, "set-charges", "/api/notes/{id}/charges", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Lines []coding.Charge `json:"lines" maxItems:"50"`
			Facts coding.Facts    `json:"facts"`
			Was   int             `json:"was"`
		}
	}) (*body[app.ChargesView], error) {
		out, err := s.app.SetCharges(ctx, who, in.ID, in.Body.Lines, in.Body.Facts, in.Body.Was)
		return &body[app.ChargesView]{out}, err
	})
	get(api, "services", "/api/services", func(_ context.Context, who app.Actor, in *struct {
		Query string `query:"q" maxLength:"100"`
	}) ([]coding.Service, error) {
		return s.app.FindServices(who, in.Query)
	})
	get(api, "plan-sets", "/api/notes/{id}/sets", func(ctx context.Context, who app.Actor, in *PathID) ([]app.SetView, error) {
		return s.app.PlanSets(ctx, who, in.ID)
	})
	noteAct(api, "apply-set", "/api/notes/{id}/sets", func(ctx context.Context, who app.Actor, id string, in struct {
		Set   string   `json:"set" maxLength:"60"`
		Parts []string `json:"parts" maxItems:"60"`
	}) (app.NoteView, error) {
		return s.app.ApplySet(ctx, who, id, in.Set, in.Parts)
	})
	get(api, "plan-as-set", "/api/notes/{id}/sets/present", func(ctx context.Context, who app.Actor, in *PathID) (app.SetView, error) {
		return s.app.PlanAsSet(ctx, who, in.ID)
	})
	act(api, http.MethodPost, "keep-plan-as-set", "/api/notes/{id}/sets/present", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body app.PlanSet
	}) (*body[app.FormRow], error) {
		out, err := s.app.KeepPlanAsSet(ctx, who, in.ID, in.Body)
		return &body[app.FormRow]{out}, err
	})
	get(api, "to-book", "/api/follow-ups", func(ctx context.Context, who app.Actor, _ *nothing) ([]app.FollowUpView, error) {
		return s.app.ToBook(ctx, who)
	})
	act(api, http.MethodPost, "book", "/api/follow-ups/{id}/book", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body app.Booking
	}) (*body[app.VisitView], error) {
		out, err := s.app.Book(ctx, who, in.ID, in.Body)
		return &body[app.VisitView]{out}, err
	})
	act(api, http.MethodPost, "drop-follow-up", "/api/follow-ups/{id}/drop", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"500"`
		}
	}) (*nothing, error) {
		return nil, s.app.DropFollowUp(ctx, who, in.ID, in.Body.Reason)
	})
	act(api, http.MethodPost, "absence-letter", "/api/notes/{id}/absence", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			app.Absence
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[app.DocumentView], error) {
		out, err := s.app.AbsenceLetter(ctx, who, in.ID, in.Body.Secret, in.Body.Absence)
		return &body[app.DocumentView]{out}, err
	})
	get(api, "measures", "/api/notes/{id}/measures", func(ctx context.Context, who app.Actor, in *PathID) ([]measure.Outcome, error) {
		return s.app.MeasuresOf(ctx, who, in.ID)
	})
	get(api, "letters", "/api/notes/{id}/letters", func(ctx context.Context, who app.Actor, in *PathID) (app.LettersView, error) {
		return s.app.Letters(ctx, who, in.ID)
	})
	act(api, http.MethodPost, "sign-letter", "/api/notes/{id}/letters", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			app.Letter
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[app.DocumentView], error) {
		out, err := s.app.SignLetter(ctx, who, in.ID, in.Body.Secret, in.Body.Letter)
		return &body[app.DocumentView]{out}, err
	})
	act(api, http.MethodPost, "give-leaflet", "/api/notes/{id}/leaflets", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Leaflet string `json:"leaflet" maxLength:"40"`
		}
	}) (*body[app.DocumentView], error) {
		out, err := s.app.GiveLeaflet(ctx, who, in.ID, in.Body.Leaflet)
		return &body[app.DocumentView]{out}, err
	})
	act(api, http.MethodPost, "message-patient", "/api/notes/{id}/messages", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body app.PortalMessage
	}) (*body[app.SentView], error) {
		out, err := s.app.MessagePatient(ctx, who, in.ID, in.Body)
		return &body[app.SentView]{out}, err
	})
	act(api, http.MethodPost, "settle-sent", "/api/sent/{kind}/{id}/settle", func(ctx context.Context, who app.Actor, in *struct {
		Kind string `path:"kind" maxLength:"10"`
		ID   string `path:"id" maxLength:"64"`
		Body struct {
			How string `json:"how" maxLength:"300"`
		}
	}) (*nothing, error) {
		return nil, s.app.SettleSent(ctx, who, in.Kind, in.ID, in.Body.How)
	})
	get(api, "pins", "/api/pins", func(ctx context.Context, who app.Actor, _ *nothing) ([]app.PinView, error) {
		return s.app.Pins(ctx, who)
	})
	act(api, http.MethodPost, "pin", "/api/pins", func(ctx context.Context, who app.Actor, in *body[struct {
		Code   string `json:"code" maxLength:"10"`
		Clinic bool   `json:"clinic,omitempty"`
		Off    bool   `json:"off,omitempty"`
	}]) (*nothing, error) {
		return nil, s.app.Pin(ctx, who, in.Body.Code, in.Body.Clinic, in.Body.Off)
	})
	get(api, "forms", "/api/forms", func(ctx context.Context, who app.Actor, _ *nothing) (app.FormsView, error) {
		return s.app.ListForms(ctx, who)
	})
	get(api, "form", "/api/forms/{kind}/{id}", func(ctx context.Context, who app.Actor, in *struct {
		Kind  string `path:"kind" maxLength:"20"`
		ID    string `path:"id" maxLength:"60"`
		Owner string `query:"owner" enum:"clinic,me" default:"clinic"`
		// 0 is the newest.
		Version int `query:"version" minimum:"0"`
	}) (app.FormText, error) {
		return s.app.ReadForm(ctx, who, in.Kind, in.ID, in.Owner, in.Version)
	})
	get(api, "form-versions", "/api/forms/{kind}/{id}/versions", func(ctx context.Context, who app.Actor, in *struct {
		Kind  string `path:"kind" maxLength:"20"`
		ID    string `path:"id" maxLength:"60"`
		Owner string `query:"owner" enum:"clinic,me" default:"clinic"`
	}) ([]app.FormVersion, error) {
		return s.app.FormVersions(ctx, who, in.Kind, in.ID, in.Owner)
	})
	act(api, http.MethodPost, "try-form", "/api/forms/try", func(ctx context.Context, who app.Actor, in *body[formBody]) (*body[app.Preview], error) {
		out, err := s.app.TryForm(ctx, who, in.Body.text())
		return &body[app.Preview]{out}, err
	}, largeForm)
	act(api, http.MethodPost, "save-form", "/api/forms", func(ctx context.Context, who app.Actor, in *body[formBody]) (*body[app.FormRow], error) {
		out, err := s.app.SaveForm(ctx, who, in.Body.text(), in.Body.Base)
		return &body[app.FormRow]{out}, err
	}, largeForm)
	act(api, http.MethodPost, "form-entries", "/api/forms/entries", func(ctx context.Context, who app.Actor, in *body[struct {
		Body string `json:"body"`
	}]) (*body[[]app.FormEntry], error) {
		out, err := s.app.FormEntries(ctx, who, in.Body.Body)
		return &body[[]app.FormEntry]{out}, err
	})
	act(api, http.MethodPost, "copy-entry", "/api/forms/copy", func(ctx context.Context, who app.Actor, in *body[struct {
		Body  string `json:"body"`
		List  string `json:"list" enum:"kinds,snippets,review,examination,sets,letters,leaflets"`
		Entry string `json:"entry" maxLength:"60"`
		ID    string `json:"id" maxLength:"40"`
		Title string `json:"title" maxLength:"100"`
	}]) (*body[app.Copied], error) {
		b := in.Body
		out, err := s.app.CopyEntry(ctx, who, b.Body, b.List, b.Entry, b.ID, b.Title)
		return &body[app.Copied]{out}, err
	})
	act(api, http.MethodPost, "add-answer", "/api/forms/interview/{id}/answers", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Link  string `json:"link" maxLength:"120"`
			Words string `json:"words" maxLength:"80"`
		}
	}) (*nothing, error) {
		return nil, s.app.AddAnswer(ctx, who, in.ID, in.Body.Link, in.Body.Words)
	})
}

// noteAct registers a change of a draft: it answers with the note as it is then.
func noteAct[B any](api huma.API, name, path string, f func(context.Context, app.Actor, string, B) (app.NoteView, error)) {
	act(api, http.MethodPost, name, path, func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body B
	}) (*body[app.NoteView], error) {
		out, err := f(ctx, who, in.ID, in.Body)
		return &body[app.NoteView]{out}, err
	})
}

// FindingChange is one act on findings; what does not concern it is left out.
type FindingChange struct {
	Area     string   `json:"area" enum:"review,examination"`
	System   string   `json:"system,omitempty" maxLength:"60"`
	Finding  string   `json:"finding,omitempty" maxLength:"60"`
	State    string   `json:"state,omitempty" enum:"present,absent,normal,left out,remark,"`
	Side     string   `json:"side,omitempty" maxLength:"10"`
	Severity string   `json:"severity,omitempty" maxLength:"10"`
	Duration string   `json:"duration,omitempty" maxLength:"20"`
	Words    []string `json:"words,omitempty" maxItems:"20"`
	Remark   string   `json:"remark,omitempty" maxLength:"1000"`
	Clear    bool     `json:"clear,omitempty"`
	Rest     []string `json:"rest,omitempty" maxItems:"60"`
	Bring    bool     `json:"bring,omitempty"`
	Was      int      `json:"was,omitempty" doc:"Version the change was made on; -1 for a line or the rest"`
}

func (c FindingChange) core() note.Change {
	return note.Change{Area: note.Area(c.Area), System: c.System, Finding: c.Finding, State: note.State(c.State), Side: c.Side, Severity: c.Severity, Duration: c.Duration, Words: c.Words, Remark: c.Remark, Clear: c.Clear, Rest: c.Rest, Bring: c.Bring, Was: c.Was}
}

type forwardBody struct {
	From    string `json:"from" maxLength:"64"`
	Part    string `json:"part,omitempty" enum:"subjective,function,objective,assessment,plan,remarks,"`
	Area    string `json:"area,omitempty" enum:"review,examination,"`
	System  string `json:"system,omitempty" maxLength:"60"`
	Finding string `json:"finding,omitempty" maxLength:"60"`
	Replace bool   `json:"replace"`
}

func (f forwardBody) wanted() note.Wanted {
	return note.Wanted{Part: note.Part(f.Part), Area: note.Area(f.Area), System: f.System, Finding: f.Finding, Replace: f.Replace}
}

// largeForm is the greatest size of a form as it comes in: a table of services, in JSON.
const largeForm = 10 << 20

type formBody struct {
	Kind    string `json:"kind" enum:"systems,visits,interview,snippets,sets,letters,leaflets,services"`
	ID      string `json:"id" maxLength:"40"`
	Owner   string `json:"owner" enum:"clinic,me"`
	Body    string `json:"body"`
	Prose   string `json:"prose,omitempty"`
	Retired bool   `json:"retired,omitempty"`
	Base    int    `json:"base" doc:"The version it was made from"`
}

func (f formBody) text() app.FormText {
	return app.FormText{FormRow: app.FormRow{Kind: f.Kind, ID: f.ID, Owner: f.Owner, Retired: f.Retired}, Body: f.Body, Prose: f.Prose}
}
