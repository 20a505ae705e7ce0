package chart_test

import (
	"fmt"

	"deftledger/core/chart"
)

func ExampleBMI() {
	index, known := chart.BMI("70", "175", 40*12)
	fmt.Println(index, known)
	_, known = chart.BMI("9.8", "76", 13)
	fmt.Println("at thirteen months:", known)
	// Output:
	// 22.9 true
	// at thirteen months: false
}

func ExampleAgeText() {
	fmt.Println(chart.AgeText("1968-03-02", "2026-03-01"))
	fmt.Println(chart.AgeText("1968-03-02", "2026-03-02"))
	// Output:
	// 57 y
	// 58 y
}

func ExampleLookalikes() {
	alike := chart.Lookalikes([]chart.Patient{
		{ID: "1", Name: chart.Name{Family: "Ödegard", Given: "Runa"}, BirthDate: "2019-05-02"},
		{ID: "2", Name: chart.Name{Family: "Odegard", Given: "Tove"}, BirthDate: "2019-05-02"},
		{ID: "3", Name: chart.Name{Family: "Ostby", Given: "Runa"}, BirthDate: "2019-05-02"},
	})
	fmt.Println(alike["1"], alike["3"])
	// Output: [Tove Odegard] []
}

func ExampleWordsBegin() {
	fmt.Println(chart.WordsBegin("Basic metabolic panel", "met ba"))
	fmt.Println(chart.WordsBegin("Basic metabolic panel", "etab"))
	// Output:
	// true
	// false
}
