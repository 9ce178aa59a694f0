package house

import "hiddenlanes/core/rig"

// CleanNames cleans the names in a chart that comes with a file.
func (c *Chart) CleanNames(n *rig.Names) {
	if c == nil {
		return
	}
	for r, e := range c.Entries {
		for _, s := range []*string{&e.Name, &e.Short, &e.Bus} {
			n.Clean(s)
		}
		for i := range e.Useful {
			n.Clean(&e.Useful[i])
		}
		for i := range e.Microphones {
			n.Clean(&e.Microphones[i])
		}
		n.Inserts(e.Inserts)
		n.Inserts(e.BusInserts)
		c.Entries[r] = e
	}
}
