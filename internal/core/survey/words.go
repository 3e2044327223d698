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
}

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
	seed   maphash.Seed
}

var wordTables = sync.Pool{New: func() any { return &wordTable{seed: maphash.MakeSeed()} }}

func (t *wordTable) count(word string) {
	const mask = uint64(len(t.places) - 1)
	for i := maphash.String(t.seed, word) & mask; ; i = (i + 1) & mask {
		switch n := t.places[i]; {
		case n == 0:
			t.words = append(t.words, WordCount{word, 1})
			t.places[i] = uint16(len(t.words))
			return
		case t.words[n-1].Word == word:
			t.words[n-1].Times++
			return
		}
	}
}
