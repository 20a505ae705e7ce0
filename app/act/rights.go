package act

import (
	"slices"

	"deftledger/store"
)

// Role of a person.
type Role = string

// The roles.
const (
	Physician Role = "physician"
	// Practitioner and Associate sign what a physician signs but for what their right leaves to
	// a cosigner; they keep nothing of the practice as such.
	Practitioner Role = "nurse practitioner"
	Associate    Role = "physician assistant"
	Nurse        Role = "nurse"
	Assistant    Role = "medical assistant"
	FrontDesk    Role = "front desk"
	Admin        Role = "administrator"
)

// Right names an act or a look that a role may or may not do.
type Right string

// The rights.
const (
	SeeDay              Right = "see the day's visits"
	MoveVisit           Right = "move a visit on"
	FindPatient         Right = "find a patient"
	SeeChart            Right = "see a chart"
	WriteNote           Right = "write a note"
	SignNote            Right = "sign a note"
	DoIntake            Right = "do the intake"
	UseForms            Right = "see the forms"
	ChangeForms         Right = "change the clinic's forms"
	EditProblems        Right = "change the problem list"
	PlaceOrder          Right = "sign an order"
	PrepareOrder        Right = "prepare an order"
	TakeOrder           Right = "take an order by telephone"
	DrawSpecimen        Right = "say what became of a specimen"
	SeeOrders           Right = "see the orders of the practice"
	FollowOrder         Right = "ask after an order"
	SeeSpecimens        Right = "see what is to be drawn and what the courier takes"
	SignReferral        Right = "sign a referral"
	PrepareReferral     Right = "write a referral for a physician's signature"
	FollowReferral      Right = "say what became of a referral"
	SetConnections      Right = "set up connections"
	EnterResult         Right = "type a result in from paper"
	SignPrescription    Right = "sign a prescription"
	SignScheduleTwo     Right = "sign a prescription of a Schedule II substance"
	PreparePrescription Right = "write a prescription for a physician's signature"
	FollowPrescription  Right = "say what became of a prescription"
	TakeInquiry         Right = "take a message down"
	AnswerInquiry       Right = "answer a message or a request"
	SeeDirectory        Right = "see whom the practice writes to"
	KeepDirectory       Right = "keep the directory"
	MergeRecords        Right = "merge records"
	BookVisit           Right = "book a visit"
	SeeResults          Right = "see results"
	SignResult          Right = "sign a result"
	CallIn              Right = "take a critical value down by telephone"
	SignInRange         Right = "sign a result in range by the clinic's rule"
	SetStanding         Right = "give the nurses a standing permission"
	SeeDeskWords        Right = "see what may be told at the front desk"
	MatchResult         Right = "say whose a result is"
	TakeCritical        Right = "take a critical value up"
	ReadAudit           Right = "read the audit"
	Remind              Right = "settle a reminder"
	RecallPatients      Right = "remind patients by mail"
	SetRules            Right = "switch rules on and off, and take new ones in"

	Register     Right = "register a patient"
	Registration Right = "see and change a registration"
	Share        Right = "say what a patient agrees to share, and where they were seen"
	GiveOut      Right = "give a chart out"
	WalkIn       Right = "begin a visit for somebody who is here"

	SeePractice  Right = "see lists over the whole practice"
	OpenClosed   Right = "open a chart with a reason"
	ReviewOpened Right = "review opened charts"
	SetUsual     Right = "say who is a patient's usual clinician"
	SetCover     Right = "say who covers for them"
	SetCircle    Right = "say who sees whose chart"
)

// rights is the whole table, in the order in which it is told: who may do what.
var rights = []struct {
	right Right
	roles []Role
}{
	{SeeDay, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{MoveVisit, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{FindPatient, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{SeeChart, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{WriteNote, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{SignNote, []Role{Physician, Practitioner, Associate}},
	{DoIntake, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{UseForms, []Role{Physician, Practitioner, Associate, Nurse, Assistant, Admin}},
	{ChangeForms, []Role{Physician, Admin}},
	{EditProblems, []Role{Physician, Practitioner, Associate}},
	{PlaceOrder, []Role{Physician, Practitioner, Associate}},
	{PrepareOrder, []Role{Nurse, Assistant}},
	{TakeOrder, []Role{Nurse}},
	{DrawSpecimen, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{SeeOrders, []Role{Physician, Practitioner, Associate, Nurse}},
	{FollowOrder, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{SeeSpecimens, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{SignReferral, []Role{Physician, Practitioner, Associate}},
	{PrepareReferral, []Role{Nurse, Assistant}},
	{FollowReferral, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{SetConnections, []Role{Admin}},
	{EnterResult, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{SignPrescription, []Role{Physician, Practitioner, Associate}},
	{SignScheduleTwo, []Role{Physician}},
	{PreparePrescription, []Role{Practitioner, Associate, Nurse, Assistant}},
	{FollowPrescription, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{TakeInquiry, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{AnswerInquiry, []Role{Physician, Practitioner, Associate, Nurse}},
	{SeeDirectory, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk, Admin}},
	{KeepDirectory, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk, Admin}},
	{MergeRecords, []Role{Physician}},
	{BookVisit, []Role{FrontDesk, Assistant, Nurse}},
	{SeeResults, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{SignResult, []Role{Physician, Practitioner, Associate}},
	{TakeCritical, []Role{Physician, Practitioner, Associate}},
	{CallIn, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{SignInRange, []Role{Nurse}},
	{SetStanding, []Role{Physician}},
	{SeeDeskWords, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{MatchResult, []Role{Physician, Practitioner, Associate, Nurse}},
	{ReadAudit, []Role{Admin}},
	{RecallPatients, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{SetRules, []Role{Physician, Admin}},
	{Remind, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{Register, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{Registration, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{Share, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{GiveOut, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{WalkIn, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk}},
	{SeePractice, []Role{Physician, Admin}},
	{OpenClosed, []Role{Physician, Practitioner, Associate, Nurse, Assistant}},
	{ReviewOpened, []Role{Physician, Admin}},
	{SetUsual, []Role{Physician, Practitioner, Associate, Nurse, Assistant, FrontDesk, Admin}},
	{SetCover, []Role{Physician, Admin}},
	{SetCircle, []Role{Admin}},
}

// ofPractice are the rights whose acts are of the practice and of no one chart: the day, who
// somebody is, somebody new, what is to be drawn, whose a result is. They read names and no chart.
var ofPractice = map[Right]bool{Register: true, SeeSpecimens: true, SeeOrders: true, TakeInquiry: true, SetConnections: true, SeeDirectory: true, KeepDirectory: true, SeeDay: true, MoveVisit: true, FindPatient: true, BookVisit: true, MatchResult: true,
	// Whoever is there takes a critical value up, whosever the patient is; with the report it is their chart.
	TakeCritical: true, CallIn: true,
	ReadAudit: true, SeePractice: true, OpenClosed: true, ReviewOpened: true, SetCircle: true}

// Actor is the person acting, in one session.
type Actor struct {
	ID, Name string
	Role     Role
	Session  store.Session
	Window   string // opaque, of the screen that asks; "" where there is none
}

// Phone is who gave an order by telephone, and the name of who took it down.
type Phone struct{ ID, Name, Taker string }

// By names who ordered as paper does: the author, and who took it down where it was given by
// telephone ("" otherwise), because then the author has not signed it.
func By(author, taker string) string {
	if taker == "" {
		return author
	}
	return author + " by telephone, taken down and read back by " + taker
}

// Orderer is who orders: whoever acts, or who gave it by telephone.
func (t *Tx) Orderer(p *Phone) (id, name string) {
	if p != nil {
		return p.ID, p.Name
	}
	return t.Who.ID, t.Who.Name
}

// May says whether a role has a right.
func May(role Role, r Right) bool {
	for _, x := range rights {
		if x.right == r {
			return slices.Contains(x.roles, role)
		}
	}
	return false
}

// Allow refuses an act to a person whose role has no right to it. It is the first thing
// that an act asks.
func Allow(who Actor, r Right) error {
	if !May(who.Role, r) {
		return Refuse(Forbidden, "Your role, %s, may not %s.", who.Role, r)
	}
	return nil
}

// RightsOf lists what a role may do, for the interface to offer only that.
func RightsOf(role Role) []Right {
	out := []Right{}
	for _, x := range rights {
		if slices.Contains(x.roles, role) {
			out = append(out, x.right)
		}
	}
	return out
}

// Rights are all of them, in the order in which they are told.
func Rights() []Right {
	out := make([]Right, len(rights))
	for i, x := range rights {
		out[i] = x.right
	}
	return out
}
