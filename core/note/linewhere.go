package note

import (
	"regexp"
	"slices"
	"strings"
)

var durationToken = regexp.MustCompile(`^x?\d+(\.\d+)?[a-z]*$`)

// takeDuration finds "3d", "x3d", "x 3 days", "for 3 days" among the words.
func takeDuration(tokens []string) ([]string, string) {
	for i, t := range tokens {
		if !durationToken.MatchString(t) {
			continue
		}
		t = strings.TrimPrefix(t, "x")
		end := i + 1
		d, ok := ReadDuration(t)
		if !ok && end < len(tokens) {
			d, ok = ReadDuration(t + tokens[end])
			end++
		}
		if !ok {
			continue
		}
		start := i
		if start > 0 && slices.Contains([]string{"for", "since", "x", "times"}, tokens[start-1]) {
			start--
		}
		return append(slices.Clone(tokens[:start]), tokens[end:]...), d
	}
	return tokens, ""
}

// circumstances are said of a finding and kept as they were typed.
var circumstances = func() (out [][]string) {
	for _, c := range strings.Split(`at night, in the morning, in the mornings, in the evening, daily, every day, after meals, after eating, with meals,
when standing, on standing, with standing, with stairs, on stairs, climbing stairs, with exertion, on exertion, with exercise, with activity,
with movement, with walking, when walking, with coughing, with swallowing, at rest, lying down, when lying down, on and off, off and on, intermittent,
intermittently, constant, occasional, occasionally, worse at night, worse in the morning, worse with exertion, throughout, diffuse, diffusely,
scattered, since this morning, this morning, since yesterday, since last night, since monday, since tuesday, since wednesday, since thursday,
since friday, since saturday, since sunday, radiating to groin, radiating to the groin, radiating to back, radiating to the back, radiating to leg,
radiating to left leg, radiating to right leg, radiating to left arm, radiating to jaw, climbing 1 flight, with 1 flight, since mva, since the mva, since the accident, since the fall, when brushing, once, twice, with exertion only,
only with exertion, at apex, at the apex, at base, at the base, when tired, when standing up, standing up, by evening, in the evenings, right lower quadrant, right upper quadrant, left lower quadrant, left upper quadrant, epigastrium,
hand, hands, finger, fingers, wrist, wrists, elbow, elbows, hip, hips, knee, knees, ankle, ankles, foot, feet, toe, toes, thumb, face, arm, arms,
leg, legs, trunk, chest, abdomen, scalp, thigh, thighs, calf, calves, shoulder, shoulders, side, lower, upper`, ",") {
		out = append(out, strings.Fields(c))
	}
	slices.SortStableFunc(out, func(a, b []string) int { return len(b) - len(a) })
	return out
}()

// howOften is "2-3x/wk", "3x/night".
var howOften = regexp.MustCompile(`^\d+(?:-\d+)?x?/(?:d|day|night|wk|week|mo|month|yr|year)$`)

// bodyParts are circumstances that can also be what is spoken of.
var bodyParts = func() map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(`hand hands finger fingers wrist wrists elbow elbows hip hips knee knees ankle ankles foot feet toe toes thumb face
		arm arms leg legs trunk chest abdomen scalp thigh thighs calf calves shoulder shoulders side lower upper`) {
		out[w] = true
	}
	return out
}()

var number = regexp.MustCompile(`^\d+(\.\d+)?$`)

var joints = []string{"knee", "hip", "ankle", "wrist", "elbow", "shoulder", "finger", "hand", "toe", "thumb"}

// circumstance parts words from where, when and with what: "cough at night"; "knee pain" is
// a pain of a joint, the knee.
func circumstance(tokens []string, parts bool) ([]string, string) {
	out, kept := slices.Clone(tokens), []string{}
	out = slices.DeleteFunc(out, func(t string) bool {
		if howOften.MatchString(t) {
			kept = append(kept, t)
		}
		return howOften.MatchString(t)
	})
	for at := 0; at+1 < len(out); at++ { // "weight gain 5 lb"
		if number.MatchString(out[at]) && slices.Contains([]string{"lb", "lbs", "pounds", "kg", "times"}, out[at+1]) {
			kept = append(kept, out[at]+" "+out[at+1])
			out = slices.Delete(out, at, at+2)
		}
	}
	for _, c := range circumstances {
		if !parts && len(c) == 1 && bodyParts[c[0]] {
			continue
		}
		for at := 0; at+len(c) <= len(out); at++ {
			if !slices.Equal(out[at:at+len(c)], c) {
				continue
			}
			if slices.ContainsFunc(joints, func(j string) bool { return equalWord(c[0], j) }) && at+1 < len(out) &&
				(equalWord(out[at+1], "pain") || out[at+1] == "swelling") {
				out = slices.Replace(out, at, at+1, "joint")
			} else {
				out = slices.Delete(out, at, at+len(c))
			}
			kept = append(kept, strings.Join(c, " "))
			break
		}
	}
	return out, strings.Join(kept, ", ")
}
