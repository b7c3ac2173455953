package sums

import (
	"fmt"
	"math/rand"
	"testing"
)

// overlapping are sets of six channels of random sources, none of which is a sum: the worst that there is to search.
func overlapping(n int) (sets []Set) {
	rng := rand.New(rand.NewSource(1))
	for i := range n {
		in := map[int]bool{}
		for range 20 {
			in[rng.Intn(60)] = true
		}
		s := Set{ID: fmt.Sprint(i)}
		for c := range 6 {
			v := Vector{}
			for source := range in {
				v[fmt.Sprint(source, "/", c)] = 1
			}
			s.Channels = append(s.Channels, v)
		}
		sets = append(sets, s)
	}
	return sets
}

// each are a pair for each of many tracks, all panned, with the mix of all and one of every fourth.
func each(tracks int) []Set {
	mixes := []Set{{ID: "all", Channels: []Vector{{}, {}}}}
	for k := range 4 {
		mixes = append(mixes, Set{ID: fmt.Sprint("part ", k), Channels: []Vector{{}, {}}})
	}
	var sets []Set
	for i := range tracks {
		pair := []Vector{{fmt.Sprint(i): 0.3 + 0.001*float64(i)}, {fmt.Sprint(i): 0.9 - 0.002*float64(i)}}
		for c, v := range pair {
			mixes[0].Channels[c].Add(v, 1)
			mixes[1+i%4].Channels[c].Add(v, 1)
		}
		sets = append(sets, Set{fmt.Sprint("track ", i), pair})
	}
	return append(mixes, sets...)
}

func BenchmarkFind(b *testing.B) {
	for _, c := range []struct {
		name string
		sets []Set
	}{{"16 overlapping", overlapping(16)}, {"32 overlapping", overlapping(32)}, {"each of 60 tracks", each(60)}, {"each of 200 tracks", each(200)}} {
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				Find(c.sets)
			}
		})
	}
}
