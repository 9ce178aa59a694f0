// Package carry takes what is planned for one instrument over to another: feeds are
// matched by what they are, lanes stay with their names, colours, buses and channels,
// and keys are mapped so that songs can follow.
package carry

import (
	"cmp"
	"slices"
)

// forbidden marks a pair that cannot be.
const forbidden = int64(-1)

// maxExact is up to how many pairs that could be, among things that can stand in for each other,
// the least total cost is found.
const maxExact = 300 * 300

// assign pairs rows with columns, each with one at most: as many pairs as there can be,
// and of all such pairings one of the least total cost; among more than 300 things that can stand
// in for each other, the nearest first. cost[i][j] must not be negative but for forbidden. It
// gives the column of each row, -1 for none.
func assign(cost [][]int64) []int {
	out := make([]int, len(cost))
	for i := range out {
		out[i] = -1
	}
	for _, part := range connected(cost) {
		sub := make([][]int64, len(part.rows))
		for i, r := range part.rows {
			sub[i] = make([]int64, len(part.columns))
			for j, c := range part.columns {
				sub[i][j] = cost[r][c]
			}
		}
		pair := leastCost
		if len(part.rows)*len(part.columns) > maxExact {
			pair = nearestFirst
		}
		for i, j := range pair(sub) {
			if j >= 0 {
				out[part.rows[i]] = part.columns[j]
			}
		}
	}
	return out
}

// rowsAndColumns are some of a table, in order.
type rowsAndColumns struct{ rows, columns []int }

// connected parts a table into those rows and columns between which there are pairs that can be.
func connected(cost [][]int64) (parts []*rowsAndColumns) {
	if len(cost) == 0 {
		return nil
	}
	ofColumn := make([]*rowsAndColumns, len(cost[0]))
	for i, row := range cost {
		var mine *rowsAndColumns
		for j, c := range row {
			other := ofColumn[j]
			switch {
			case c == forbidden || other != nil && other == mine:
				continue
			case mine == nil && other != nil:
				mine = other
				mine.rows = append(mine.rows, i)
				continue
			case mine == nil:
				mine = &rowsAndColumns{rows: []int{i}}
				parts = append(parts, mine)
			}
			if other == nil {
				ofColumn[j], mine.columns = mine, append(mine.columns, j)
				continue
			}
			mine.rows, mine.columns = append(mine.rows, other.rows...), append(mine.columns, other.columns...)
			for _, k := range other.columns {
				ofColumn[k] = mine
			}
			*other = rowsAndColumns{}
		}
	}
	parts = slices.DeleteFunc(parts, func(p *rowsAndColumns) bool { return len(p.rows) == 0 })
	for _, p := range parts {
		slices.Sort(p.rows)
		slices.Sort(p.columns)
	}
	return parts
}

// nearestFirst pairs up as many as can be: the cheapest pairs first, and then, where that leaves a
// row without a column that could have one, by alternating paths (Kuhn 1955).
func nearestFirst(cost [][]int64) []int {
	type pair struct {
		cost int64
		i, j int
	}
	var all []pair
	for i, row := range cost {
		for j, c := range row {
			if c != forbidden {
				all = append(all, pair{c, i, j})
			}
		}
	}
	slices.SortFunc(all, func(a, b pair) int { return cmp.Or(cmp.Compare(a.cost, b.cost), a.i-b.i, a.j-b.j) })
	out, of := make([]int, len(cost)), make([]int, len(cost[0]))
	for i := range out {
		out[i] = -1
	}
	for j := range of {
		of[j] = -1
	}
	for _, p := range all {
		if out[p.i] < 0 && of[p.j] < 0 {
			out[p.i], of[p.j] = p.j, p.i
		}
	}
	tried := make([]int, len(of))
	var find func(i, round int) bool
	find = func(i, round int) bool {
		for j, c := range cost[i] {
			if c == forbidden || tried[j] == round {
				continue
			}
			tried[j] = round
			if of[j] < 0 || find(of[j], round) {
				out[i], of[j] = j, i
				return true
			}
		}
		return false
	}
	round := 1 // a column from which no free one was found leads to none until the pairs change
	for i := range out {
		if out[i] < 0 && find(i, round) {
			round++
		}
	}
	return out
}

// leastCost is the pairing of the least total cost (the Hungarian method; Kuhn 1955, in the form of
// Jonker and Volgenant with potentials).
func leastCost(cost [][]int64) []int {
	n := len(cost)
	out := make([]int, n)
	for i := range out {
		out[i] = -1
	}
	m := len(cost[0])
	none := int64(1)
	for _, row := range cost {
		for _, c := range row {
			none += max(c, 0)
		}
	}
	// Each row has a column of its own that stands for none, dearer than all pairs
	// together; so leaving one out never pays while it could be paired.
	at := func(i, j int) int64 {
		switch {
		case j >= m && j-m == i:
			return none
		case j >= m || cost[i][j] == forbidden:
			return none * int64(n+1)
		}
		return cost[i][j]
	}
	row := assignRows(n, m+n, at)
	for j := 1; j <= m; j++ {
		if i := row[j]; i > 0 && cost[i-1][j-1] != forbidden {
			out[i-1] = j - 1
		}
	}
	return out
}

// assignRows gives each of n rows a column at the least total cost: for each column, from 1, its row,
// from 1, or 0.
func assignRows(n, columns int, at func(i, j int) int64) []int {
	const far = int64(1) << 62
	u, v := make([]int64, n+1), make([]int64, columns+1)
	row := make([]int, columns+1)
	previous := make([]int, columns+1)
	for i := 1; i <= n; i++ {
		row[0] = i
		j0 := 0
		least := make([]int64, columns+1)
		used := make([]bool, columns+1)
		for j := range least {
			least[j] = far
		}
		for {
			used[j0] = true
			i0, delta, j1 := row[j0], far, 0
			for j := 1; j <= columns; j++ {
				if used[j] {
					continue
				}
				if c := at(i0-1, j-1) - u[i0] - v[j]; c < least[j] {
					least[j], previous[j] = c, j0
				}
				if least[j] < delta {
					delta, j1 = least[j], j
				}
			}
			for j := 0; j <= columns; j++ {
				if used[j] {
					u[row[j]] += delta
					v[j] -= delta
				} else {
					least[j] -= delta
				}
			}
			if j0 = j1; row[j0] == 0 {
				break
			}
		}
		for j0 != 0 {
			j1 := previous[j0]
			row[j0] = row[j1]
			j0 = j1
		}
	}
	return row
}
