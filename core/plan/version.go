package plan

import (
	"cmp"
	"encoding/json"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// Versions are the versions of a project's document.
//
// 1: it says its version, and so do the instruments and the house chart in it. The last
// number of an ID is not less than those in use. What is patched is kept as settings, with
// those unknown that were not kept before; lanes that stand in the host and are not in
// the plan were found there. Accepted problems are named by code and subjects. Exceptions
// are called so.
//
// 2: groups of feeds that share are things of their own, which can have a wish. Lanes that stand
// in the host and that the plan did not make are lanes of the document too.
//
// 3: a microphone is split by a rule or by named groups.
//
// 4: what is patched says on which lane an instrument was loaded; where it does not, that is worked
// out from what the lanes take.
//
// 5: a template of the host that was kept says what it holds, and a project may begin from one. Levels
// and pans of lanes that were typed are planned; one other than zero counts as typed. A kind of host says
// what MIDI addresses count within, and every project with an instrument names its kind.
var Versions = &document.Line{What: "project",
	Steps: []func(map[string]any) error{toVersion1, toVersion2, toVersion3, toVersion4, toVersion5}}

// Version is a project's version field.
type Version = document.Version[mark]

type mark struct{}

func (mark) Line() *document.Line { return Versions }

func toVersion1(p map[string]any) error {
	for _, pl := range objects(p["placed"]) {
		if in, ok := pl["instrument"].(map[string]any); ok {
			if err := rig.Versions.UpgradeTree(in, 0); err != nil {
				return err
			}
		}
	}
	if chart, ok := p["chart"].(map[string]any); ok {
		if err := house.Versions.UpgradeTree(chart, 0); err != nil {
			return err
		}
	}
	last := number(p["lastId"])
	for _, list := range []string{"placed", "lanes"} {
		for _, x := range objects(p[list]) {
			id, _ := x["id"].(string)
			last = max(last, idNumber(id))
		}
	}
	p["lastId"] = last
	if d, ok := p["departs"]; ok {
		p["exceptions"] = d
		delete(p, "departs")
	}
	acceptedByCode(p)
	for _, state := range []string{"patched", "practice"} {
		if old, ok := p[state].(map[string]any); ok {
			p[state] = settingsOf(old, p)
		}
	}
	return nil
}

func toVersion2(p map[string]any) error {
	foundLanes(p)
	for _, pl := range objects(p["placed"]) {
		groups, _ := pl["together"].([]any)
		for i, g := range groups {
			groups[i] = map[string]any{"feeds": g}
		}
	}
	return nil
}

func toVersion3(p map[string]any) error {
	for _, pl := range objects(p["placed"]) {
		view, _ := pl["view"].(map[string]any)
		split, _ := view["split"].(map[string]any)
		for id, on := range split {
			if on == true {
				split[id] = map[string]any{"by": string(rig.ByShells)}
			} else {
				delete(split, id)
			}
		}
	}
	return nil
}

func toVersion4(map[string]any) error { return nil }

// firstKind is the kind of host that a project without one was planned for until version 5.
const firstKind = `{"name":"Lanes added by hand","lanes":"growing","appears":"made","firstOnOwn":true,"sides":true,` +
	`"after":"","notes":"group","midiPorts":1}`

// sharedChannels lets MIDI addresses count within the whole host, as they did until version 5, in a
// project that has an instrument; one that names no kind of host names the one it was planned for.
func sharedChannels(p map[string]any) {
	host, _ := p["host"].(map[string]any)
	if host == nil || len(objects(p["placed"])) == 0 {
		return
	}
	kind, _ := host["profile"].(map[string]any)
	if kind == nil {
		if json.Unmarshal([]byte(firstKind), &kind) != nil {
			return
		}
		kind["midiPorts"] = json.Number("1")
		host["profile"], host["sides"] = kind, true // where no kind was named a lane could take a side
	}
	kind["midiScope"] = string(rig.WithinHost)
}

func toVersion5(p map[string]any) error {
	sharedChannels(p)
	for _, l := range objects(p["lanes"]) {
		typed := map[string]any{}
		for _, name := range []string{"gain", "pan"} {
			if v, _ := l[name].(json.Number); v != "" && v != "0" {
				typed[name] = true
			}
		}
		if len(typed) > 0 {
			l["typed"] = typed
		}
	}
	for _, pl := range objects(p["placed"]) {
		for _, name := range []string{"instrument", "asItCame"} {
			in, _ := pl[name].(map[string]any)
			if v, said := in["version"]; said && number(v) < rig.Versions.Current() { // else it is named by its hash
				if err := rig.Versions.UpgradeTree(in, number(v)); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// foundLanes writes the lanes down that stand in the host and that the plan did not make. Those
// of which the name is unknown stay where they are.
func foundLanes(p map[string]any) {
	lanes, _ := p["lanes"].([]any)
	numbers, known := map[int]bool{}, map[string]bool{}
	buses := map[string]bool{}
	for _, l := range objects(p["lanes"]) {
		id, _ := l["id"].(string)
		numbers[number(l["number"])], known[id], buses[id] = true, true, l["kind"] == "bus"
	}
	patched, _ := p["patched"].(map[string]any)
	stands, _ := patched["lanes"].(map[string]any)
	var found []map[string]any
	for _, id := range slices.Sorted(maps.Keys(stands)) {
		l, _ := stands[id].(map[string]any)
		if known[id] || l["owner"] != "found" || l["name"] == nil {
			continue
		}
		n := max(number(l["number"]), 1)
		for numbers[n] {
			n++
		}
		numbers[n] = true
		kind, _ := l["kind"].(string)
		buses[id] = kind == "bus"
		lane := map[string]any{"id": id, "number": json.Number(strconv.Itoa(n)), "name": l["name"], "kind": cmp.Or(kind,
			"regular"),
			"width": l["width"], "colour": l["colour"], "to": "", "owner": "found"}
		if l["width"] == nil {
			lane["width"] = "stereo"
		}
		if l["colour"] == nil {
			lane["colour"] = "#7a7f87"
		}
		if l["inserts"] != nil {
			lane["inserts"] = l["inserts"]
		}
		found = append(found, lane)
	}
	for _, l := range found { // a lane may go to a bus of the plan or of the mixer; a bus to the main mix
		to, _ := stands[l["id"].(string)].(map[string]any)["to"].(string)
		if l["kind"] == "regular" && buses[to] {
			l["to"] = to
		}
		lanes = append(lanes, l)
	}
	if len(found) > 0 {
		p["lanes"] = lanes
	}
}

// acceptedByCode lets acceptances name the rule's code and its subjects. Their words stay:
// the rules tell by them whether the cause is still the same.
func acceptedByCode(p map[string]any) {
	old, ok := p["accepted"].(map[string]any)
	if !ok {
		return
	}
	out := map[string]any{}
	for key, v := range old {
		a, _ := v.(map[string]any)
		parts := strings.Split(key, "/")
		now := parts[0]
		for _, ref := range parts[1:] {
			if e := subjectOf(parts[0], ref); e != "" {
				now += " " + string(e)
			}
		}
		out[now] = map[string]any{"reason": a["reason"], "was": a["cause"]}
	}
	p["accepted"] = out
}

// subjectOf is what a key of version 0 named by "i1:v3", "i1:3" or "l5"; some of those
// were made up to tell problems apart.
func subjectOf(code, ref string) Entity {
	placed, of, ok := strings.Cut(ref, ":")
	if !ok {
		return LaneEntity(ref)
	}
	switch code {
	case "memory-over":
		return ""
	case "waiting-reload", "setup-not-saved", "setup-overridden", "numbers-offset":
		return InstrumentEntity(placed)
	case "effects-lost":
		return EffectEntity(placed, of)
	case "notes-no-part":
		n, _ := strconv.Atoi(of) // channel + 16 × port
		channel := (n-1)%16 + 1
		return AddressEntity(midi.Address{Port: (n - channel) / 16, Channel: midi.Channel(channel)})
	}
	if r, err := ParseOutputRef(ref); err == nil {
		return OutputEntity(r)
	}
	return FeedEntity(FeedRef{placed, of})
}

// settingsOf brings what is patched from version 0, where it was kept as lanes and
// instruments, to settings. What was not patched then is left out: it is unknown.
func settingsOf(old map[string]any, p map[string]any) map[string]any {
	out := map[string]any{"lastId": number(old["lastId"])}
	put := func(kind, ref string, settings map[string]any) {
		all, ok := out[kind].(map[string]any)
		if !ok {
			all = map[string]any{}
			out[kind] = all
		}
		all[ref] = settings
	}
	names := map[string]any{}
	for _, pl := range objects(p["placed"]) {
		id, _ := pl["id"].(string)
		if in, ok := pl["instrument"].(map[string]any); ok {
			names[id] = in["name"]
		}
	}
	instruments, _ := old["instruments"].(map[string]any)
	for id, v := range instruments {
		in, _ := v.(map[string]any)
		set := map[string]any{"outputs": listOf(in["setup"]), "saved": listOf(in["kept"]), "seen": listOf(in["seen"]),
			"halved": listOf(in["halved"])}
		if name, ok := names[id]; ok {
			set["name"] = name
		}
		put("instruments", id, set)
		on, _ := in["on"].(map[string]any)
		for n, v := range on {
			put("outputs", id+":"+n, map[string]any{"on": v})
		}
		feeds, _ := in["feeds"].(map[string]any)
		for f, jack := range feeds {
			put("feeds", id+":"+f, map[string]any{"output": jack})
		}
	}
	laneSettings(old, p, put)
	tracks, _ := old["tracks"].(map[string]any)
	for ref, channel := range tracks {
		put("tracks", ref, map[string]any{"channel": channel})
	}
	if heard, _ := old["checked"].(string); heard == "" {
		out["heard"] = ""
	}
	return out
}

// laneSettings is settingsOf for lanes and their sends.
func laneSettings(old, p map[string]any, put func(kind, ref string, settings map[string]any)) {
	planned := map[string]bool{}
	for _, l := range objects(p["lanes"]) {
		id, _ := l["id"].(string)
		planned[id] = true
	}
	for _, l := range objects(old["lanes"]) {
		id, _ := l["id"].(string)
		owner := ByPlan
		if !planned[id] {
			owner = Found
		}
		also, _ := l["alsoMain"].(bool)
		put("lanes", id, map[string]any{"number": l["number"], "name": l["name"], "colour": l["colour"], "kind": l["kind"],
			"width": l["width"], "sources": listOf(l["sources"]), "to": l["to"], "alsoMain": also, "owner": string(owner)})
		for _, s := range objects(l["sends"]) {
			to, _ := s["to"].(string)
			tap := AfterFader
			if pre, _ := s["pre"].(bool); pre {
				tap = BeforeFader
			}
			put("sends", sendRef(id, to), map[string]any{"tap": string(tap)})
		}
	}
}

func listOf(v any) any {
	if v == nil {
		return []any{}
	}
	return v
}

// objects lists the objects of a JSON list.
func objects(list any) (out []map[string]any) {
	all, _ := list.([]any)
	for _, x := range all {
		if m, ok := x.(map[string]any); ok {
			out = append(out, m)
		}
	}
	return out
}

// number is a whole number of JSON, or 0.
func number(v any) int {
	if n, ok := v.(int); ok { // that a step has written
		return n
	}
	n, _ := v.(json.Number)
	i, _ := strconv.Atoi(string(n))
	return i
}

var numberedID = regexp.MustCompile(`^[a-z]+(\d{1,9})$`)

// idNumber is the number in an ID that newID may have made, or 0.
func idNumber(id string) (n int) {
	if m := numberedID.FindStringSubmatch(id); m != nil {
		n, _ = strconv.Atoi(m[1])
	}
	return n
}

// MendIDs lets LastID be no less than the numbers in use, whatever a file says, so that
// the next ID is a new one.
func (p *Project) MendIDs() {
	for _, pl := range p.Placed {
		p.LastID = max(p.LastID, idNumber(pl.ID))
	}
	for _, l := range p.Lanes {
		p.LastID = max(p.LastID, idNumber(l.ID))
	}
	for _, s := range []*Patched{p.Patched, p.StandIn} {
		if s == nil {
			continue
		}
		for _, l := range s.Lanes {
			if p.Lane(l.ID) == nil {
				s.LastID = max(s.LastID, idNumber(l.ID))
			}
		}
	}
}
