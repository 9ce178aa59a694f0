package command

import "slices"

// Table lists every command. A new one is a type with its arguments, its edit and what it
// touches, and a row in the list of its file.
var Table []*Spec

func init() {
	Table = slices.Concat(laneCommands, feedCommands, placedCommands, runCommands, instrumentCommands, chartCommands)
}
