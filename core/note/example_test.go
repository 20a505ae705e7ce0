package note_test

import (
	"fmt"

	"deftledger/core/note"
)

func ExampleDue() {
	day, said, err := note.Due("1m", "2026-01-31")
	fmt.Println(day, said, err)
	_, _, err = note.Due("soon", "2026-01-31")
	fmt.Println(err != nil)
	// Output:
	// 2026-02-28 in one month <nil>
	// true
}

func ExamplePerson() {
	fmt.Println(note.Person(46, 46*12, "M"))
	fmt.Println(note.Person(80, 80*12, "F"))
	// Output:
	// A 46-year-old man
	// An 80-year-old woman
}

func ExampleReadDuration() {
	fmt.Println(note.ReadDuration("3 weeks"))
	fmt.Println(note.ReadDuration("a while"))
	// Output:
	// 3 wk true
	//  false
}
