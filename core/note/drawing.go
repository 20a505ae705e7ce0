package note

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
)

// Stroke is one line of a drawing: points of x, y and pressure, in a space 400
// wide and 500 high. Pressure runs from 0 to 1.
type Stroke struct {
	Color  string       `json:"color"`
	Points [][3]float64 `json:"points"`
}

// The space of a drawing.
const (
	DrawingWidth  = 400
	DrawingHeight = 500
)

// colors of the pens.
var colors = map[string]string{"ink": "#1D2B2F", "red": "#A8431A", "blue": "#3E4BA8"}

// Outlines are the body outlines to draw on, as SVG path data; "" is blank paper.
// They were drawn for this program.
var Outlines = map[string]string{
	"":      "",
	"front": bodyFront,
	"back":  bodyFront + " M200 88 L200 270 M176 118 Q168 140 178 158 M224 118 Q232 140 222 158",
	"hands": "M70 330 L70 190 Q70 178 80 178 Q90 178 90 190 L90 140 Q90 128 100 128 Q110 128 110 140 L110 120 Q110 108 120 108 Q130 108 " +
		"130 120 L130 140 Q130 128 140 128 Q150 128 150 140 L150 240 Q160 214 172 206 Q184 202 184 214 Q176 250 160 290 Q150 320 150 360 L80 " +
		"360 Q70 350 70 330 M90 190 L90 232 M110 140 L110 230 M130 140 L130 230 M330 330 L330 190 Q330 178 320 178 Q310 178 310 190 L310 140 " +
		"Q310 128 300 128 Q290 128 290 140 L290 120 Q290 108 280 108 Q270 108 270 120 L270 140 Q270 128 260 128 Q250 128 250 140 L250 240 " +
		"Q240 214 228 206 Q216 202 216 214 Q224 250 240 290 Q250 320 250 360 L320 360 Q330 350 330 330 M310 190 L310 232 M290 140 L290 230 M270 140 L270 230",
	"feet": "M110 390 Q96 380 98 350 Q104 290 96 250 Q88 200 96 170 Q104 140 124 140 Q160 140 168 180 Q172 220 160 270 Q154 320 158 356 " +
		"Q158 392 134 396 Q120 398 110 390 M98 168 Q92 152 100 146 M112 142 Q106 126 116 120 Q126 120 126 138 M130 138 Q130 120 142 120 Q152 " +
		"126 146 144 M150 150 Q158 132 168 140 Q174 150 164 168 M290 390 Q304 380 302 350 Q296 290 304 250 Q312 200 304 170 Q296 140 276 140 " +
		"Q240 140 232 180 Q228 220 240 270 Q246 320 242 356 Q242 392 266 396 Q280 398 290 390 M302 168 Q308 152 300 146 M288 142 Q294 126 284 " +
		"120 Q274 120 274 138 M270 138 Q270 120 258 120 Q248 126 254 144 M250 150 Q242 132 232 140 Q226 150 236 168",
	"head": "M200 80 Q288 80 288 190 Q288 250 262 300 Q240 350 200 350 Q160 350 138 300 Q112 250 112 190 Q112 80 200 80 M112 190 Q96 186 " +
		"98 214 Q102 240 120 240 M288 190 Q304 186 302 214 Q298 240 280 240 M150 190 Q166 178 182 190 Q166 202 150 190 M218 190 Q234 178 250 " +
		"190 Q234 202 218 190 M200 200 L192 250 Q200 258 210 250 M172 296 Q200 312 228 296 M170 340 L166 400 M230 340 L234 400",
}

const bodyFront = "M200 24 Q226 24 226 54 Q226 78 212 84 L212 96 Q250 100 262 116 Q272 132 276 180 Q282 220 296 262 Q300 276 290 280 " +
	"Q282 280 276 266 Q258 226 252 176 L248 220 Q250 250 252 290 Q250 350 240 400 Q238 440 240 462 Q252 476 236 478 Q218 478 218 462 Q216 " +
	"400 212 350 Q208 310 200 290 Q192 310 188 350 Q184 400 182 462 Q182 478 164 478 Q148 476 160 462 Q162 440 160 400 Q150 350 148 290 " +
	"Q150 250 152 220 L148 176 Q142 226 124 266 Q118 280 110 280 Q100 276 104 262 Q118 220 124 180 Q128 132 138 116 Q150 100 188 96 L188 " +
	"84 Q174 78 174 54 Q174 24 200 24"

var errDrawing = errors.New("its points are not what was expected")

// ReadStrokes reads the strokes of a drawing; anything else than numbers within
// the paper and known pens is refused.
func ReadStrokes(text string) ([]Stroke, error) {
	var out []Stroke
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	if err := json.Unmarshal([]byte(text), &out); err != nil {
		return nil, errDrawing
	}
	for _, s := range out {
		if colors[s.Color] == "" {
			return nil, errDrawing
		}
		for _, p := range s.Points {
			for _, x := range p {
				if math.IsNaN(x) || x < -50 || x > 600 {
					return nil, errDrawing
				}
			}
		}
	}
	return out, nil
}

// DrawSVG draws strokes on an outline as an SVG picture. The width of a line
// follows the pressure: each stretch between two points is a line of its own.
func DrawSVG(outline, strokes string) (string, error) {
	path, ok := Outlines[outline]
	if !ok {
		return "", fmt.Errorf("there is no outline %q", outline)
	}
	list, err := ReadStrokes(strokes)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d">`, DrawingWidth, DrawingHeight)
	if path != "" {
		fmt.Fprintf(&b, `<path d="%s" fill="none" stroke="#7F867C" stroke-width="1.5"/>`, path)
	}
	for _, s := range list {
		fmt.Fprintf(&b, `<g stroke="%s" stroke-linecap="round">`, colors[s.Color])
		for i, p := range s.Points {
			from := p
			if i > 0 {
				from = s.Points[i-1]
			}
			if i > 0 || len(s.Points) == 1 {
				fmt.Fprintf(&b, `<line x1="%.1f" y1="%.1f" x2="%.1f" y2="%.1f" stroke-width="%.1f"/>`, from[0], from[1], p[0]+0.01, p[1],
					PenWidth(p[2]))
			}
		}
		b.WriteString("</g>")
	}
	b.WriteString("</svg>")
	return b.String(), nil
}

// PenWidth is the width of a line drawn with a pressure.
func PenWidth(pressure float64) float64 { return 1 + 3*math.Max(0, math.Min(1, pressure)) }
