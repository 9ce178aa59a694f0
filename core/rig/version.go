package rig

import "hiddenlanes/core/document"

// Versions are the versions of an instrument's document.
//
// 1: it says its version.
var Versions = &document.Line{What: "instrument", Steps: []func(map[string]any) error{
	func(map[string]any) error { return nil },
	func(map[string]any) error { return nil }, // 2: a saved default says what is set inside, and a kit has a MIDI address
}}

// Version is an instrument's version field.
type Version = document.Version[mark]

type mark struct{}

func (mark) Line() *document.Line { return Versions }
