package draw

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"
)

// Colours of the map on its own, those of paper.
const (
	ink   = "#1d2730"
	soft  = "#5b6570"
	paper = "#f4f1ea"
	card  = "#fbf9f4"
	rule  = "#d8d2c4"
	brick = "#a5281b"
)

// svgText gives what writes a text. Each is as long as it is in the font of the labels, whatever font
// draws it; what is shortened has the whole name as its title.
func svgText(b *strings.Builder) func(x, y int, anchor, weight, fill, s, whole string) {
	return func(x, y int, anchor, weight, fill, s, whole string) {
		long := ""
		if known(s) {
			long = fmt.Sprintf(` textLength="%.1f" lengthAdjust="spacingAndGlyphs"`, TextWidth(s, nameSize, weight == "600"))
		}
		fmt.Fprintf(b, `<text x="%d" y="%d" text-anchor="%s" font-weight="%s" fill="%s"%s>%s`, x, y, anchor, weight, fill,
			long, escape(s))
		if whole != "" && whole != s {
			fmt.Fprintf(b, "<title>%s</title>", escape(whole))
		}
		b.WriteString("</text>\n")
	}
}

// svgEdges writes the lines of the signal path.
func svgEdges(b *strings.Builder, d *Map) {
	for _, e := range d.Edges {
		width, dash := "2.4", map[string]string{"planned": "9 3.5", "parked": "1.5 5", "waiting": "2.5 2.5"}[e.Style()]
		if e.Heavy {
			width = "5"
		}
		if e.Send {
			width = "1.2"
		}
		fmt.Fprintf(b, `<path d="%s" fill="none" stroke="%s" stroke-width="%s"`, e.D, escape(e.Colour), width)
		if dash != "" {
			fmt.Fprintf(b, ` stroke-dasharray="%s"`, dash)
		}
		b.WriteString("/>\n")
	}
}

// SVG writes the map as a file of its own, with nothing outside it.
func SVG(w io.Writer, d *Map, title string) error {
	var b strings.Builder
	text := svgText(&b)
	fmt.Fprintf(&b,
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" width="%d" height="%d"`+
			` font-family="Barlow Semi Condensed, Barlow, sans-serif" font-size="15">`+"\n", Width, d.Height, Width, d.Height)
	fmt.Fprintf(&b, "<title>%s</title>\n<rect width=\"%d\" height=\"%d\" fill=\"%s\"/>\n", escape(title), Width,
		d.Height, paper)
	for _, g := range d.Groups {
		text(FeedRight, g.Y, "end", "600", soft, g.Shown(), g.Name)
	}
	svgEdges(&b, d)
	for _, e := range d.Ends {
		fmt.Fprintf(&b, `<path d="M%d %dV%d" stroke="%s" stroke-width="4"><title>%s</title></path>`+"\n", e.X, e.Y-8, e.Y+8,
			brick, escape(e.Why))
	}
	for _, f := range d.Feeds {
		text(FeedRight, f.Y+5, "end", "400", ink, f.Shown(), f.Name)
		fmt.Fprintf(&b, `<circle cx="%d" cy="%d" r="3.5" fill="%s"/>`+"\n", FeedDot, f.Y, soft)
	}
	for _, o := range d.Outputs {
		fmt.Fprintf(&b, `<rect x="%d" y="%d" width="%d" height="22" rx="3" fill="%s" stroke="%s"/>`+"\n", OutputLeft, o.Y-11,
			OutputW, card, rule)
		text(OutputLeft+9, o.Y+5, "start", "600", ink, o.Shown(), o.Label)
		text(OutputLeft+OutputW-8, o.Y+5, "end", "400", soft, o.Ports, "")
	}
	for _, l := range d.Lanes {
		fmt.Fprintf(&b, `<rect x="%d" y="%d" width="43" height="22" rx="11" fill="%s" stroke="%s" stroke-width="3"/>`+"\n",
			LaneLeft+1, l.Y-11, card, escape(l.Colour))
		text(LaneLeft+23, l.Y+5, "middle", "600", ink, l.Badge(), l.Number)
		fmt.Fprintf(&b, `<g stroke="%s" stroke-width="5" paint-order="stroke">`, paper)
		text(LaneName, l.Y+5, "start", "600", ink, l.Shown(), l.Name)
		b.WriteString("</g>\n")
	}
	for _, l := range d.Buses {
		fmt.Fprintf(&b, `<rect x="%d" y="%d" width="%d" height="44" rx="6" fill="%s"/>`+"\n", BusLeft, l.Y-22, BusW,
			escape(l.Colour))
		text(BusLeft+BusW/2, l.Y-2, "middle", "600", l.Ink, l.OnBus(), l.Name)
		text(BusLeft+BusW/2, l.Y+14, "middle", "400", l.Ink, "lane "+l.Number, "")
	}
	for _, m := range d.Masters {
		fmt.Fprintf(&b, `<rect x="%d" y="%d" width="%d" height="20" rx="4" fill="%s"><title>Block %s</title></rect>`+"\n",
			MasterLeft, m.Y-10, MasterW, ink, m.Name)
		text(MasterLeft+MasterW/2, m.Y+5, "middle", "600", paper, m.Name, "")
	}
	fmt.Fprintf(&b, `<rect x="%d" y="%d" width="%d" height="%d" rx="6" fill="%s"/>`+"\n", MainLeft, d.MainTop, MainW,
		d.MainH, ink)
	fmt.Fprintf(&b,
		`<text transform="translate(%d %d) rotate(-90)" text-anchor="middle" font-weight="600" fill="%s">Main mix</text>`+
			"\n</svg>\n", MainLeft+23, d.MainMid, paper)
	_, err := io.WriteString(w, b.String())
	return err
}

func escape(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s)) // writing to a builder does not fail
	return b.String()
}
