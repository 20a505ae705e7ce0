package store

// Factor is the second factor of a person; Sealed is its secret, encrypted.
type Factor struct {
	StaffID string
	Sealed  []byte
	Active  bool
	Step    int64 // the newest step of the clock whose code was used
}

// FactorOf is a person's second factor; ErrNotFound where there is none.
func (q *Q) FactorOf(staff string) (Factor, error) {
	return one(q, func(s scanner, f *Factor) error { return s.Scan(&f.StaffID, &f.Sealed, &f.Active, &f.Step) },
		"SELECT staff_id, sealed, active, step FROM second_factor WHERE staff_id = ?", staff)
}

// SetFactor stores a second factor, in the place of one before.
func (q *Q) SetFactor(f Factor) error {
	return q.do("INSERT INTO second_factor(staff_id, sealed, active, step) VALUES (?,?,?,?) ON CONFLICT(staff_id) DO UPDATE SET sealed = excluded.sealed, active = excluded.active, "+
		"step = excluded.step", f.StaffID, f.Sealed, f.Active, f.Step)
}

// UseFactor notes that the code of a step was used; ok is false where it, or a later one, was
// used before.
func (q *Q) UseFactor(staff string, step int64) (ok bool, err error) {
	n, err := q.exec("UPDATE second_factor SET step = ? WHERE staff_id = ? AND step < ?", step, staff, step)
	return n > 0, err
}

// DropFactor takes a person's second factor away.
func (q *Q) DropFactor(staff string) error {
	return q.do("DELETE FROM second_factor WHERE staff_id = ?", staff)
}
