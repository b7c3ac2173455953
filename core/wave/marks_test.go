package wave

import (
	"bytes"
	"encoding/binary"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// with puts chunks before the audio of a file.
func with(t *testing.T, chunks ...aiffChunk) *File {
	whole := poly(t, 20, nil)
	head, rest := slices.Clone(whole[:12]), whole[12:]
	for _, c := range chunks {
		head = binary.LittleEndian.AppendUint32(append(head, c.id...), uint32(len(c.body)))
		head = append(head, c.body...)
		if len(c.body)%2 == 1 {
			head = append(head, 0)
		}
	}
	b := append(head, rest...)
	f, err := Open(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	return f
}

func cue(points ...uint32) aiffChunk {
	b := binary.LittleEndian.AppendUint32(nil, uint32(len(points)/2))
	for i := 0; i < len(points); i += 2 {
		b = binary.LittleEndian.AppendUint32(b, points[i])
		b = append(b, make([]byte, 16)...)
		b = binary.LittleEndian.AppendUint32(b, points[i+1])
	}
	return aiffChunk{"cue ", b}
}

func TestCues(t *testing.T) {
	label := append(binary.LittleEndian.AppendUint32(nil, 7), "bell\x00"...)
	list := append([]byte("adtllabl"), binary.LittleEndian.AppendUint32(nil, uint32(len(label)))...)
	list = append(append(list, label...), 0)
	for name, f := range map[string]*File{
		"texts after":  with(t, cue(7, 12, 3, 4), aiffChunk{"LIST", list}),
		"texts before": with(t, aiffChunk{"LIST", list}, cue(7, 12, 3, 4)),
	} {
		require.Len(t, f.Cues, 2, name)
		assert.Equal(t, []int64{4, 12}, []int64{f.Cues[0].Frame, f.Cues[1].Frame}, name)
		assert.Equal(t, []string{"", "bell"}, []string{f.Cues[0].Label, f.Cues[1].Label}, name)
	}
	assert.Empty(t, with(t, aiffChunk{"cue ", []byte{255, 255, 255, 255, 1}}, aiffChunk{"LIST", []byte("adtllabl\xff\xff\xff\xff")}).Cues)
}

func TestChna(t *testing.T) {
	line := binary.LittleEndian.AppendUint16(nil, 2)
	line = append(line, "ATU_00000002AT_00040001_01AP_00040001\x00"...)
	empty := make([]byte, 40)
	f := with(t, aiffChunk{"chna", slices.Concat([]byte{1, 0, 1, 0}, line[:39], []byte{0}, empty, []byte{9})})
	require.Len(t, f.Audio, 1)
	assert.Equal(t, AudioID{2, "ATU_00000002", "AT_00040001_01", "AP_00040001"}, f.Audio[0])
}
