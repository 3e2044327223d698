package survey

import (
	"hash/maphash"
	"slices"
	"sync"

	"harvik/internal/core/text"
)

// Words are how often each word stands at the beginning of a text, in the order in which they are met there.
type Words []WordCount

// WordCount is a word as it is written, and how often it is.
type WordCount struct {
	Word  string
	Times int32
	hash  uint64
}

// wordSeed makes the hashes of words, which nobody can foresee: two words with one are taken for the same.
var wordSeed = maphash.MakeSeed()

// CountWords counts the words of a text's beginning. They share its memory.
func CountWords(main string) Words {
	t, _ := wordTables.Get().(*wordTable)
	defer wordTables.Put(t)
	clear(t.places[:])
	t.words = t.words[:0]
	text.EachWord(main[:min(len(main), sampled)], t.count)
	return slices.Clone(t.words)
}

// wordTable finds words by their hashes. It has more places than there can be words.
type wordTable struct {
	places [4096]uint16 // 1 + a word's index, 0 for none
	words  Words
}

var wordTables = sync.Pool{New: func() any { return new(wordTable) }}

func (t *wordTable) count(word string) {
	const mask = uint64(len(t.places) - 1)
	hash := maphash.String(wordSeed, word)
	for i := hash & mask; ; i = (i + 1) & mask {
		switch n := t.places[i]; {
		case n == 0:
			t.words = append(t.words, WordCount{word, 1, hash})
			t.places[i] = uint16(len(t.words))
			return
		case t.words[n-1].hash == hash:
			t.words[n-1].Times++
			return
		}
	}
}

// A wordIndex has a number for each of many words, found by their hashes alone: of a large vocabulary most words
// are not at hand when they are asked for, and their texts would have to be fetched from memory for nothing.
type wordIndex struct {
	slots []wordSlot // a power of two
	used  int
}

type wordSlot struct {
	hash   uint64
	number int32
	taken  bool
}

// place is where a word's number stands, or is to stand.
func (x *wordIndex) place(hash uint64) *wordSlot {
	mask := uint64(len(x.slots) - 1)
	for i := hash & mask; ; i = (i + 1) & mask {
		if s := &x.slots[i]; !s.taken || s.hash == hash {
			return s
		}
	}
}

// of is the number of a word, which number makes where it has none.
func (x *wordIndex) of(hash uint64, number func() int32) int32 {
	if 2*x.used >= len(x.slots) {
		old := x.slots
		x.slots = make([]wordSlot, max(1024, 2*len(old)))
		for _, s := range old {
			if s.taken {
				*x.place(s.hash) = s
			}
		}
	}
	s := x.place(hash)
	if !s.taken {
		*s = wordSlot{hash, number(), true}
		x.used++
	}
	return s.number
}
