package result

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Expected readings worked out by hand from the meaning of the range.
func TestRead(t *testing.T) {
	cases := []struct {
		value, rng string
		want       Reading
	}{
		{"4.4", "3.5-5.1", In}, {"3.5", "3.5-5.1", In}, {"5.1", "3.5-5.1", In}, {"5.10", "3.5-5.1", In},
		{"5.2", "3.5-5.1", Above}, {"3.4", "3.5-5.1", Below}, {"6.4", "3.5 – 5.1", Above},
		{"200", "<200", Above}, {"199", "< 200", In}, {"200", "<= 200", In},
		{"59", ">59", Below}, {"60", ">59", In}, {"60", ">= 60", In}, {"46", ">= 60", Below},
		{"-3", "-2-2", Below}, {"-1", "-2-2", In}, {"2.5", "-2--1", Above},
		{"<0.01", "0.02-0.10", Below}, {"<0.05", "0.02-0.10", Unread}, {"<5", "<= 5", In}, {"<5", "<5", In},
		{">90", "60-80", Above}, {">90", ">= 60", In}, {">50", ">= 60", Unread}, {">5", "<5", Above},
		{"positive", "negative", Unread}, {"1:80", "<1:40", Unread}, {"4.4", "", Unread}, {"", "3.5-5.1", Unread},
		{"1e3", "0-10", Unread}, {"4,4", "3.5-5.1", Unread}, {"4.4", "5.1-3.5", Unread}, {"4.4", "up to 5", Unread}, {"007", "5-10", In},
	}
	for _, c := range cases {
		require.Equal(t, c.want, Read(c.value, c.rng), "%q in %q", c.value, c.rng)
	}
}

func TestDisagree(t *testing.T) {
	cases := []struct {
		value, rng, flag string
		want             bool
	}{
		{"6.4", "3.5-5.1", "HH", false}, {"6.4", "3.5-5.1", "", true}, {"6.4", "3.5-5.1", "L", true},
		{"4.4", "3.5-5.1", "N", false}, {"4.4", "3.5-5.1", "H", true}, {"positive", "negative", "A", false}, {"6.4", "", "H", false},
		{"6.4", "3.5-5.1", "A", false},
	}
	for _, c := range cases {
		require.Equal(t, c.want, Disagree(Value{Text: c.value, Range: c.rng, Flag: c.flag}), "%+v", c)
	}
}

func TestClosing(t *testing.T) {
	cases := []struct {
		status, told, reason string
		portal               bool
		missing              string
	}{
		{"F", "telephone", "", false, ""}, {"C", "in person", "", false, ""}, {"X", "letter", "", false, ""}, {"F", "portal", "", true, ""},
		{"F", "not told", "knows already", false, ""},
		{"P", "telephone", "", false, "preliminary"}, {"I", "telephone", "", false, "preliminary"}, {"", "telephone", "", false, "preliminary"},
		{"F", "", "", true, "say how"}, {"F", "shouted", "", true, "say how"}, {"F", "not told", "  ", true, "reason"},
		{"F", "portal", "", false, "does not use the portal"},
	}
	for _, c := range cases {
		err := Closing(c.status, c.told, c.reason, c.portal)
		if c.missing == "" {
			require.NoError(t, err, "%+v", c)
			continue
		}
		require.ErrorIs(t, err, ErrOpen, "%+v", c)
		require.ErrorContains(t, err, c.missing)
	}
}

func TestSupersedes(t *testing.T) {
	for _, c := range []struct {
		prev, next string
		want       bool
	}{{"P", "P", true}, {"P", "F", true}, {"F", "P", false}, {"F", "F", true}, {"F", "C", true}, {"C", "F", false}, {"C", "P", false},
		{"C", "C", true}} {
		require.Equal(t, c.want, Supersedes(c.prev, c.next), "%s then %s", c.prev, c.next)
	}
}
