// Package carry takes what is planned for one instrument over to another: feeds are
// matched by what they are, lanes stay with their names, colours, buses and channels,
// and keys are mapped so that songs can follow.
package carry

// forbidden marks a pair that cannot be.
const forbidden = int64(-1)

// assign pairs rows with columns, each with one at most: as many pairs as there can be,
// and of all such pairings one of the least total cost (the Hungarian method; Kuhn 1955,
// in the form of Jonker and Volgenant with potentials). cost[i][j] must not be negative
// but for forbidden. It gives the column of each row, -1 for none.
func assign(cost [][]int64) []int {
	n := len(cost)
	out := make([]int, n)
	for i := range out {
		out[i] = -1
	}
	if n == 0 || len(cost[0]) == 0 {
		return out
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
	const far = int64(1) << 62
	columns := m + n
	u, v := make([]int64, n+1), make([]int64, columns+1)
	row := make([]int, columns+1) // 1-based row of each column, 0: free
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
	for j := 1; j <= m; j++ {
		if i := row[j]; i > 0 && cost[i-1][j-1] != forbidden {
			out[i-1] = j - 1
		}
	}
	return out
}
