package app

import "deftledger/store"

// Role of a person.
type Role = string

// The roles.
const (
	Physician Role = "physician"
	Nurse     Role = "nurse"
	Assistant Role = "medical assistant"
	FrontDesk Role = "front desk"
	Admin     Role = "administrator"
)

// Right names an act or a look that a role may or may not do.
type Right string

// The rights.
const (
	SeeDay       Right = "see the day's visits"
	MoveVisit    Right = "move a visit on"
	FindPatient  Right = "find a patient"
	SeeChart     Right = "see a chart"
	WriteNote    Right = "write a note"
	SignNote     Right = "sign a note"
	DoIntake     Right = "do the intake"
	UseForms     Right = "see the forms"
	ChangeForms  Right = "change the clinic's forms"
	EditProblems Right = "change the problem list"
	PlaceOrder   Right = "sign an order"
	PrepareOrder Right = "prepare an order"
	MergeRecords Right = "merge records"
	BookVisit    Right = "book a visit"
	SeeResults   Right = "see results"
	SignResult   Right = "sign a result"
	MatchResult  Right = "say whose a result is"
	ReadAudit    Right = "read the audit"
)

// rights is the whole table: who may do what.
var rights = map[Right][]Role{
	SeeDay:       {Physician, Nurse, Assistant, FrontDesk},
	MoveVisit:    {Physician, Nurse, Assistant, FrontDesk},
	FindPatient:  {Physician, Nurse, Assistant, FrontDesk},
	SeeChart:     {Physician, Nurse, Assistant},
	WriteNote:    {Physician, Nurse, Assistant},
	SignNote:     {Physician},
	DoIntake:     {Physician, Nurse, Assistant},
	UseForms:     {Physician, Nurse, Assistant, Admin},
	ChangeForms:  {Physician, Admin},
	EditProblems: {Physician},
	PlaceOrder:   {Physician},
	PrepareOrder: {Nurse, Assistant},
	MergeRecords: {Physician},
	BookVisit:    {FrontDesk, Assistant, Nurse},
	SeeResults:   {Physician, Nurse, Assistant},
	SignResult:   {Physician},
	MatchResult:  {Physician, Nurse},
	ReadAudit:    {Admin},
}

// Actor is the person acting, in one session.
type Actor struct {
	ID, Name string
	Role     Role
	Session  store.Session
}

// May says whether a role has a right.
func May(role Role, r Right) bool {
	for _, x := range rights[r] {
		if x == role {
			return true
		}
	}
	return false
}

func may(who Actor, r Right) error {
	if !May(who.Role, r) {
		return refuse(403, "Your role, %s, may not %s.", who.Role, r)
	}
	return nil
}

// RightsOf lists what a role may do, for the interface to offer only that.
func RightsOf(role Role) []string {
	out := []string{}
	for _, r := range []Right{SeeDay, MoveVisit, FindPatient, SeeChart, WriteNote, SignNote, DoIntake, UseForms, ChangeForms, EditProblems, PlaceOrder, PrepareOrder, MergeRecords, BookVisit, SeeResults, SignResult, MatchResult, ReadAudit} {
		if May(role, r) {
			out = append(out, string(r))
		}
	}
	return out
}
