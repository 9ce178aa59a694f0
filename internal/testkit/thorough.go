package testkit

import "os"

// Thorough tells whether tests are to try as much as they can, as in continuous
// integration; at the desk they try a part that finds most.
func Thorough() bool { return os.Getenv("CI") == "true" }

// Of is many where tests are thorough, and few elsewhere.
func Of(many, few int) int {
	if Thorough() {
		return many
	}
	return few
}
