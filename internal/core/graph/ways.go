package graph

// A Way is where redirects lead from an address.
type Way struct {
	Hops   []string // the addresses on it, the start first, the end last
	Circle bool     // it comes back to where it was, or does not end within MaxHops
}

// Ways follows redirects by address: each from leads to the to in its place. No from comes twice.
func Ways(from, to []string) []Way {
	numbers := make(map[string]int32, len(from))
	addresses := append([]string(nil), from...)
	for i, address := range from {
		numbers[address] = int32(i)
	}
	next := make([]int32, len(from))
	for i, address := range to {
		n, ok := numbers[address]
		if !ok {
			n = int32(len(addresses))
			numbers[address] = n
			addresses, next = append(addresses, address), append(next, -1)
		}
		next[i] = n
	}
	out := make([]Way, len(from))
	for i := range from {
		chain := Follow(int32(i), next)
		out[i].Circle = chain.End < 0
		for _, n := range chain.Hops {
			out[i].Hops = append(out[i].Hops, addresses[n])
		}
	}
	return out
}
