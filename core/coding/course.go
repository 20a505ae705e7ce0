package coding

// Course says whether what a code names lasts.
type Course string

// The courses. Either is the answer wherever the code leaves it open.
const (
	Lasting Course = "chronic"
	Passing Course = "acute"
	Either  Course = "" // a symptom, or what comes in both forms
)

// lastingCodes and passingCodes are spans of codes of chronic and of acute conditions, in
// the form of the tabular list. "A chronic problem is expected to last at least a year or
// until death" (AMA, 2023). Chosen by us after the titles of ICD-10-CM, FY 2026; what comes
// in both forms stands in neither.
var (
	lastingCodes = References("(B18), (B20), (C00-D09), (D45-D47), (D55-D58), (D66-D68), (D80-D89), (E03), (E05), (E08-E13), (E20-E28), (E66), (E78), " +
		"(E84-E85), (F01-F03), (F17), (F20), (F25), (F31-F33), (F34), (F41.1), (F42), (F70-F84), (F90), (G10-G14), (G20-G26), (G30-G32), (G35-G37), (G40), " +
		"(G43), (G47.3), (G60), (G62.9), (G70-G71), (G80-G83), (H35.3), (H40), (I10-I13), (I15), (I1A), (I20.8), (I20.9), (I25), (I27), (I34-I37), " +
		"(I42), (I48.1-I48.2), (I50.22), (I50.32), (I50.42), (I69-I70), (I73), (J41-J45), (J47), (J84.1), (K21), (K50-K51), (K58), (K70.3), (K73-K74), " +
		"(K75.4), (K76.0), (K90.0), (L20), (L40), (L93), (M05-M06), (M08), (M10), (M15-M19), (M1A), (M32-M35), (M45), (M79.7), (M80-M81), (N03-N04), (N18), " +
		"(N25), (N40), (N80), (Q00-Q99), (Z94), (Z99)")
	passingCodes = References("(A00-A09), (A15-A28), (A37-A38), (A46), (A48), (B00-B01), (B05-B09), (B27), (B34), (G00), (H60.0-H60.3), (H65.0-H65.1), " +
		"(H66.0), (I21-I22), (I26), (I30), (J00-J06), (J09-J18), (J20-J22), (K35), (K52.9), (K81.0), (K85), (L01-L04), (L50.0), (L55), (N10), " +
		"(N30.0), (N39.0), (N41.0), (N45), (O20-O21), (S00-T34), (T51-T65), (U07.1)")
)

// CourseOf says what a code may be, as far as the code itself says it.
func CourseOf(code string) Course {
	switch {
	case meansAny(lastingCodes, code):
		return Lasting
	case meansAny(passingCodes, code):
		return Passing
	}
	return Either
}
