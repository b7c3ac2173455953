package reception

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
)

// linked is an element of a description after BS.2076, as mediainfo reads it: what it refers to stands as numbers of elements.
type linked struct {
	Title, Language, ChannelLayout, TypeDefinition string
	Content                                        string `json:"LinkedTo_Content_Pos"`
	Object                                         string `json:"LinkedTo_Object_Pos"`
	Pack                                           string `json:"LinkedTo_PackFormat_Pos"`
	Tracks                                         string `json:"LinkedTo_TrackUID_Pos"`
	Channels                                       string `json:"LinkedTo_ChannelFormat_Pos"`
}

// Our descriptions are what a reader that shares no code with ours makes of them: each group is a programme, a content, an object and
// a pack of its own, of its name, language, layout and channels, and nothing is wrong with any.
func TestDescriptionsAreReadByOthers(t *testing.T) {
	if _, err := exec.LookPath("mediainfo"); err != nil {
		t.Skip("mediainfo is not installed")
	}
	specs, err := contract.Shipped()
	require.NoError(t, err)
	tried := 0
	for _, s := range specs {
		if !slices.ContainsFunc(s.Files, func(f contract.File) bool { return f.ADM != nil }) {
			continue
		}
		dir := t.TempDir()
		deliver(t, s, "", dir, false)
		found, err := filepath.Glob(filepath.Join(dir, "*_ADM.wav"))
		require.NoError(t, err)
		for _, at := range found {
			tried++
			b, err := os.ReadFile(at)
			require.NoError(t, err)
			copy(b, "RF64") // the same form by its older name, which alone it knows
			require.NoError(t, os.WriteFile(at, b, 0o600))
			out, err := exec.Command("mediainfo", "--Output=JSON", at).Output()
			require.NoError(t, err)
			assert.NotContains(t, strings.ToLower(string(out)), "conformance", "it found nothing wrong")
			var read struct {
				Media struct {
					Track []struct {
						Extra struct{ Programme, Content, Object, PackFormat, ChannelFormat, TrackUID []linked }
					}
				}
			}
			require.NoError(t, json.Unmarshal(out, &read), string(out))
			d := read.Media.Track[len(read.Media.Track)-1].Extra
			require.Len(t, d.Object, len(s.Groups), s.ID)
			channels := 0
			for i, g := range s.Groups {
				labels, err := g.Labels()
				require.NoError(t, err)
				number, err := strconv.Atoi(d.Object[i].Pack)
				require.NoError(t, err)
				name, pack := d.Object[i].Title, d.PackFormat[number]
				assert.Equal(t, g.Name, name)
				assert.Len(t, strings.Split(d.Object[i].Tracks, " + "), len(labels))
				assert.Len(t, strings.Split(pack.Channels, " + "), len(labels))
				if pack.TypeDefinition == "DirectSpeakers" {
					assert.Equal(t, strings.Join(labels, " "), pack.ChannelLayout, g.Name)
				} else {
					assert.Equal(t, "HOA", pack.TypeDefinition, g.Name)
				}
				content := slices.IndexFunc(d.Content, func(c linked) bool { return slices.Contains(strings.Split(c.Object, " + "), fmt.Sprint(i)) })
				require.GreaterOrEqual(t, content, 0, g.Name)
				assert.Equal(t, g.Language, d.Content[content].Language, g.Name)
				assert.True(t, slices.ContainsFunc(d.Programme, func(p linked) bool {
					return slices.Contains(strings.Split(p.Content, " + "), fmt.Sprint(content)) && p.Title != ""
				}), "%s is in a programme", g.Name)
				channels += len(labels)
			}
			assert.Len(t, d.TrackUID, channels)
			assert.Len(t, d.ChannelFormat, channels)
		}
	}
	assert.GreaterOrEqual(t, tried, 2)
}
