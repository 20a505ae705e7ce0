// Package data holds the reference data that ship with the application: the
// ICD-10-CM catalogue, everyday words for it, the test list of the simulated
// laboratory, and the forms with which a visit is documented. Each file says where it comes from.
package data

import (
	"bytes"
	"compress/gzip"
	"embed"
	"fmt"
	"io"
	"strings"
)

//go:embed icd10cm/april-2026.tsv.gz
var catalogue []byte

//go:embed icd10cm/former.tsv.gz
var formers []byte

// Formers returns the compact list of former (ICD-9-CM) codes with what they lead to.
func Formers() (string, error) { return Unpack(formers) }

// Everyday holds everyday words for codes, one a line.
//
//go:embed icd10cm/everyday.tsv
var Everyday string

// Patients holds what people say of themselves, of injuries and of visits, for searching.
//
//go:embed icd10cm/patients.tsv
var Patients string

// Histories holds what a person once had or the family has, with its codes, one a line.
//
//go:embed icd10cm/histories.tsv
var Histories string

// TestLists are the test lists of the laboratories, a folder of CSV files each
// (docs/testlists.md); the first laboratory of Laboratories is the one usually meant.
//
//go:embed brinehouse/* northsound/*
var TestLists embed.FS

// Orderables is what is ordered of others besides laboratory tests and medicines.
//
//go:embed orderables/orderables.yaml
var Orderables []byte

// Medicare is what Original Medicare pays a test for, as text with tabs.
//
//go:embed coverage/medicare.tsv
var Medicare string

// Notice is the advance notice of non-coverage in its public wording.
//
//go:embed coverage/notice.yaml
var Notice []byte

// Intervals are how long results are usually good for, as text with tabs.
//
//go:embed orders/intervals.tsv
var Intervals string

// Laboratories names the folders of TestLists.
var Laboratories = []string{"brinehouse", "northsound"}

// Medicines are the tables of medicines and of what speaks against them, as text with tabs.
//
//go:embed medicines/*.tsv
var Medicines embed.FS

// HouseTests are the tests done in the practice itself, in YAML.
//
//go:embed house/tests.yaml
var HouseTests []byte

// Vaccines are the vaccines given in the practice, in YAML.
//
//go:embed house/vaccines.yaml
var Vaccines []byte

// Services are the services that can be charged, in YAML.
//
//go:embed services/services.yaml
var Services []byte

// Measures are the measures of quality, a file each (docs/rules.md).
//
//go:embed measures/*.yaml
var Measures embed.FS

// MeasureSchema is the form of a measure.
//
//go:embed measures/measure.schema.json
var MeasureSchema []byte

// ConfidentialMail is the clinic's rule on mail of the young, in YAML.
//
//go:embed house/mail.yaml
var ConfidentialMail []byte

// Forms holds the body systems, interviews, kinds of visit, snippets, sets, letters and
// leaflets.
//
//go:embed findings interviews visits snippets sets letters
var Forms embed.FS

// Units is the table of units, and SpelledUnits how laboratories write them (core/ucum).
//
//go:embed ucum/units.tsv
var Units string

//go:embed ucum/spelled.tsv
var SpelledUnits string

// Analytes is what is known of analytes beside what laboratories send: biological variation and what they weigh (core/result).
//
//go:embed results/analytes.tsv
var Analytes string

// Nicknames are short forms of given names (core/outside).
//
//go:embed matching/nicknames.tsv
var Nicknames string

// Bearing is what of a chart bears on an analyte (core/result).
//
//go:embed results/bearing.tsv
var Bearing string

// Critical are the clinic's critical limits (core/result).
//
//go:embed results/critical.tsv
var Critical string

// Catalogue returns the compact ICD-10-CM catalogue that ships with the application.
func Catalogue() (string, error) { return Unpack(catalogue) }

// Unpack expands a packed catalogue.
func Unpack(packed []byte) (string, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return "", fmt.Errorf("the catalogue is damaged: %w", err)
	}
	var size uint32 // gzip keeps the unpacked size in its last four bytes
	for i := range 4 {
		size |= uint32(packed[len(packed)-4+i]) << (8 * i)
	}
	var out strings.Builder
	out.Grow(int(min(size, 256<<20)) + 512)
	if _, err := io.Copy(&out, z); err != nil {
		return "", fmt.Errorf("the catalogue is damaged: %w", err)
	}
	return out.String(), nil
}

// Rules are the rules of the rulebook, a file each, with the sets they speak of and the schema
// of their form (docs/rules.md).
//
//go:embed rules/*.yaml rules/schedule/*.yaml
var Rules embed.FS

// RuleSchema is the form of a rule as a JSON schema.
//
//go:embed rules/rule.schema.json
var RuleSchema []byte

// Screens are the questionnaires with a score: what is asked, as FHIR Questionnaires, and
// beside each how it is counted.
//
//go:embed screens/*
var Screens embed.FS

// SensitiveSubjects is what a patient may wish to hold back, by subject, in YAML.
//
//go:embed sharing/subjects.yaml
var SensitiveSubjects []byte
