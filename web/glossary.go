package web

import (
	"fmt"
	"html/template"
	"strings"
)

// term is a word of the product, as help explains it.
type term struct{ Word, Says string }

// terms lists the words of the product, by the alphabet. Words of the trade stand in
// docs/glossary.md.
var terms = []term{
	{"Bleed", "What a microphone picks up of other voices than its own: the hi-hat in the snare microphone. " +
		"“Bleed off” means that the instrument gives a microphone without it."},
	{"Bundle", "One file with a whole project: its plan, the instruments it uses and the house chart it follows. " +
		"Export it on one machine and import it on another."},
	{"Constraints", "What you demand of a proposal: feeds Together on one output or Apart, Pin to an output, Park, " +
		"Off, or Fold to mono."},
	{"Drift", "How projects differ from the house chart and from each other: another name, number, colour, bus or " +
		"MIDI address for the same role."},
	{"Exception", "A difference from the house chart that is intended, with its reason. It does not count as drift."},
	{"Feed",
		"One signal that an instrument can give by itself: a voice, a microphone, a part or a return of its effects."},
	{"Home", "The lane that comes with an instrument when it is loaded, in hosts where its first output arrives on a " +
		"lane of its own. It stays as long as the instrument, and goes with it."},
	{"House chart", "What you want to be the same in every project: for each role its name, colour, bus, order, keys " +
		"and MIDI address. Versions of it are kept, and a project follows one of them."},
	{"Lane", "One channel of the host's mixer, with number, name, colour, source and destination. A bus is a lane too."},
	{"Other lane", "A lane of the mixer that the plan did not make: a recorded track, a single instrument, its bus or " +
		"return. It counts as taken and stays as it is; lanes can be routed to its bus and it to theirs."},
	{"Output", "What leaves an instrument on one or more ports: mono, stereo or 5.1. A stereo output can be split into " +
		"two mono outputs."},
	{"Own output", "How much a feed wants an output that it shares with no other: may share, rather not, if possible, " +
		"always."},
	{"Park", "To put an unused feed on an output where it disturbs nothing."},
	{"Patch sheet", "The finished map as a list: which lane takes which output, with ports, feeds, keys and routes. " +
		"For paper, as CSV and for the host."},
	{"Pick-up", "At which level in decibels each microphone picks up each voice."},
	{"Planned, patched, heard", "What you want; what is set up in the host, by what was marked as done or read from a " +
		"session; and what was measured in sound."},
	{"Role", "What a feed is, apart from what it is called: kit/snare/top. Roles are matched from instrument to " +
		"instrument."},
	{"Run sheet", "The steps from what is patched in the host to what is planned, in the order that avoids traps. Each " +
		"step, and each setting of it, is marked as done."},
	{"Split microphone", "A microphone that sends groups of what it hears, such as drums and cymbals, as feeds of their " +
		"own. What is in no group stays in its own feed."},
	{"Stage", "Where a piece is: while it is written an instrument can sound through its ready-made mix or one " +
		"microphone, " +
		"while it is mixed through everything, on the same lanes and buses."},
	{"Stand-in host", "A simulated host that behaves as the chosen kind of host does. For practice; nothing of it " +
		"reaches your own."},
	{"Start", "The state an instrument is in when it is loaded: as delivered, in a prepared layout, as it was saved " +
		"with the " +
		"project, or with the default that was saved on this machine. The run sheet begins there."},
	{"Two windows", "A project can be open in several windows. What is changed in them is kept, of all of them; where " +
		"two change the same value, the second is told what the first made of it, and saves its own again or leaves it."},
}

// termID is where help explains a word.
func termID(word string) string { return "word-" + strings.ReplaceAll(strings.ToLower(word), " ", "-") }

// wordOf is a link to what help says of a word, for beside where it stands.
func wordOf(word string) (template.HTML, error) {
	for _, t := range terms {
		if t.Word == word {
			return template.HTML(fmt.Sprintf(`<a class="word" href="/help#%s" aria-label="What “%s” means">?</a>`, termID(word),
				template.HTMLEscapeString(strings.ToLower(word)))), nil
		}
	}
	return "", fmt.Errorf("help explains no word %q", word)
}

// helpOf is what each page is for, by its name.
var helpOf = map[string]string{
	"projects":    "All projects. Search by name, instrument or role; filter by state, drift and problems.",
	"instruments": "The shelf: imported instruments, with their voices, microphones, parts and outputs.",
	"house":       "The house chart as a table of roles. Try it on a project, then save it as a version.",
	"drift":       "Projects side by side: where they differ from the house chart. Apply the chart, or make an exception.",
	"songs":       "Rewrite the notes of a song from the keys of one instrument to those of another.",
	"learn":       "What most projects do, beside what the house chart has. Add to the chart what you select.",
	"instrument":  "One instrument as tables: type into cells, paste from a spreadsheet.",
	"setups":      "Output set-ups by name, for any instrument whose outputs can be chosen.",
	"backups":     "All there is in one file, day by day. Make one, download it, or restore one after a preview.",
	"new-project": "A new project: from the house chart alone, or from another project or a template.",
	"map":         "All paths from feeds to the main mix. Choose anything to see its path and change it.",
	"feeds":       "Every feed with its role, how much it wants its own output, and where it goes.",
	"inside": "What is set inside each instrument: gains, pans, polarity, what is open, bleed, sends to its returns, " +
		"exits and MIDI channels.",
	"start": "How each instrument starts: its version, the state it is loaded in, the shortest way to the plan, the " +
		"stages of " +
		"the piece, and one instance beside several.",
	"outputs":  "The outputs of each instrument, and the crosspoints: which feed leaves by which output.",
	"lanes":    "Lanes and buses of the mixer. Type into cells; select lanes to add a bus, route or send.",
	"parts":    "Which MIDI address plays which part, and on which lanes the part is heard.",
	"run":      "The steps to do in the host. Mark each as done; import a session to compare.",
	"practice": "The stand-in host: do the steps, see what goes wrong, without touching your host.",
	"check":    "Problems of the map, each with its reason and a fix, or to be marked as intended.",
	"sheet":    "The patch sheet: print it, or export it as CSV, drawing, DAWproject or bundle.",
	"proposal": "Outputs, lanes and a bus for an instrument, with reasons. Constrain it, then accept it.",
	"replace":  "Put another instrument in the place of one; lanes, names and buses stay.",
}

// helpEntry is a page with what it is for.
type helpEntry struct{ Name, Title, Says string }

// helpList lists the pages for help, those of a project last.
var helpList []helpEntry

func init() { helpList = helpEntries() }

func helpEntries() (out []helpEntry) {
	seen := map[string]bool{}
	add := func(name, title string) {
		if says := helpOf[name]; says != "" && !seen[name] {
			seen[name] = true
			out = append(out, helpEntry{name, title, says})
		}
	}
	for _, p := range sitePages {
		add(p.Name, p.Title)
	}
	for _, v := range views {
		add(v.Name, v.Title)
	}
	return out
}
