package reception

import (
	"context"
	"encoding/xml"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/contract"
)

// listings write lists of checksums of the files in a folder, of every kind that is read.
var listings = map[string]func(t testing.TB, dir string, names []string){
	"sha256": byLines("manifest.sha256", "sha256", "%s  %s\n"), "md5": byLines("checksums.md5", "md5", "%s *%s\n"),
	"sha1": byLines("SHA1SUMS", "sha1", "%s  %s\n"), "sha512": byLines("x.sha512", "sha512", "%s  %s\n"), "xxh64": byLines("x.xxh64",
		"xxh64", "%s  ./%s\n"),
	"c4": byLines("x.c4", "c4", "%s  %s\n"), "text": byLines("checksum.txt", "md5", "%s  %s\n"), "bsd": byLines("MD5SUMS", "md5",
		"MD5 (%[2]s) = %[1]s\n"),
	"one each": func(t testing.TB, dir string, names []string) {
		for _, name := range names {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name+".md5"), []byte(sumOf(t, dir, name, "md5")+"\n"), 0o600))
		}
	},
	"mhl 1": func(t testing.TB, dir string, names []string) {
		list := "<hashlist version=\"1.1\">"
		for _, name := range names {
			list += fmt.Sprintf("<hash><file>Audio/%s</file><size>1</size><xxhash64be>%s</xxhash64be></hash>", name, sumOf(t, dir, name,
				"xxh64"))
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, "x.mhl"), []byte(list+"</hashlist>"), 0o600))
	},
	"mhl 2": chained,
}

func sumOf(t testing.TB, dir, name string, k kind) string {
	sums, err := summed(context.Background(), filepath.Join(dir, name), []kind{k})
	require.NoError(t, err)
	return sums[k]
}

func byLines(list string, k kind, form string) func(t testing.TB, dir string, names []string) {
	return func(t testing.TB, dir string, names []string) {
		text := ""
		for _, name := range names {
			text += fmt.Sprintf(form, sumOf(t, dir, name, k), name)
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, list), []byte(text), 0o600))
	}
}

// chained writes a media hash list of version 2 with its chain: one generation, and a second that says the same.
func chained(t testing.TB, dir string, names []string) {
	folder := filepath.Join(dir, "ascmhl")
	require.NoError(t, os.Mkdir(folder, 0o700))
	chain := `<ascmhldirectory xmlns="urn:ASC:MHL:DIRECTORY:v2.0">`
	for i := range 2 {
		list := `<hashlist xmlns="urn:ASC:MHL:v2.0" version="2.0"><hashes>`
		for _, name := range names {
			var text strings.Builder
			require.NoError(t, xml.EscapeText(&text, []byte(name)))
			list += fmt.Sprintf(`<hash><path size="1">%s</path><c4 action="verified">%s</c4><md5>%s</md5></hash>`, text.String(), sumOf(t, dir, name, "c4"),
				sumOf(t, dir, name, "md5"))
		}
		file := fmt.Sprintf("000%d_x.mhl", i+1)
		require.NoError(t, os.WriteFile(filepath.Join(folder, file), []byte(list+"</hashes></hashlist>"), 0o600))
		chain += fmt.Sprintf(`<hashlist sequencenr="%d"><path>%s</path><c4>%s</c4></hashlist>`, i+1, file, sumOf(t, folder, file, "c4"))
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "ascmhl_chain.xml"), []byte(chain+"</ascmhldirectory>"), 0o600))
}

// Whatever kind of list lies beside a delivery: what is changed, missing or added since is found, and what is not is not.
func TestChecksumsOfEveryKind(t *testing.T) {
	whole := good(t, "poly").lay(t)
	names := []string{"Another one.wav", filepath.Base(first(whole))}
	sound, err := os.ReadFile(first(whole))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(whole, names[0]), sound, 0o600))
	for name, list := range listings {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			require.NoError(t, os.CopyFS(dir, os.DirFS(whole)))
			list(t, dir, names)
			wrong := func() (said []string) {
				d, err := Open(context.Background(), dir, t.TempDir())
				require.NoError(t, err)
				defer d.Close()
				compared := 0
				for _, f := range d.Files {
					for _, doubt := range f.Doubts {
						if doubt.Severity == contract.Error {
							said = append(said, f.Name+" "+doubt.Rule)
						} else if doubt.Rule == "checksum" {
							compared++
						}
					}
				}
				assert.GreaterOrEqual(t, compared, len(names)-1)
				return said
			}
			assert.Empty(t, wrong())
			at := filepath.Join(dir, names[0])
			b, err := os.ReadFile(at)
			require.NoError(t, err)
			changed := append([]byte{}, b...)
			changed[len(b)-1] ^= 1
			require.NoError(t, os.WriteFile(at, changed, 0o600))
			assert.Contains(t, wrong(), names[0]+" checksum")
			require.NoError(t, os.Remove(at))
			assert.Equal(t, []string{names[0] + " file"}, wrong())
			require.NoError(t, os.WriteFile(at, b, 0o600))
			require.NoError(t, os.WriteFile(filepath.Join(dir, "Added.wav"), b, 0o600))
			assert.Equal(t, []string{"Added.wav checksum"}, wrong())
			if name == "mhl 2" {
				require.NoError(t, os.Remove(filepath.Join(dir, "Added.wav")))
				second := filepath.Join(dir, "ascmhl", "0002_x.mhl")
				text, err := os.ReadFile(second)
				require.NoError(t, err)
				require.NoError(t, os.WriteFile(second, append(text, '\n'), 0o600))
				assert.Equal(t, []string{"0002_x.mhl checksum"}, wrong(), "a list that was changed")
				require.NoError(t, os.Remove(second))
				assert.Equal(t, []string{"0002_x.mhl checksum"}, wrong(), "a list that is gone")
			}
		})
	}
}

// The C4 ID and the others are those of other programs, and of the standard's own case.
func TestChecksumsAreThoseOfOthers(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "x"), []byte("The Lantern Ferry\n"), 0o600))
	for _, k := range []kind{"md5", "sha1", "sha256", "sha512"} {
		out, err := exec.Command(string(k)+"sum", filepath.Join(dir, "x")).Output()
		require.NoError(t, err)
		assert.Equal(t, strings.Fields(string(out))[0], sumOf(t, dir, "x", k))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "empty"), nil, 0o600))
	// SMPTE ST 2114: the ID of nothing; xxh64 of nothing by its own document.
	assert.Equal(t, "c459dsjfscH38cYeXXYogktxf4Cd9ibshE3BHUo6a58hBXmRQdZrAkZzsWcbWtDg5oQstpDuni4Hirj75GEmTc1sFT", sumOf(t, dir, "empty",
		"c4"))
	assert.Equal(t, "ef46db3751d8e999", sumOf(t, dir, "empty", "xxh64"))
}

// What people and systems leave beside a delivery refuses nothing.
func TestCompanionsRefuseNothing(t *testing.T) {
	d := good(t, "poly")
	d.after = func(dir string) {
		for _, name := range []string{"Ferry.edl", "Cues.xlsx", "Thumbs.db", ".DS_Store", "desktop.ini", "Notes.docx", "still.png",
			"ferry.aaf", "Read me.rtf"} {
			_ = os.WriteFile(filepath.Join(dir, name), []byte("whatever"), 0o600)
		}
		at := first(dir)
		for _, name := range []string{"The_Lantern_Ferry_Reel_1_POLY.wav"} {
			at = filepath.Join(dir, name)
		}
		_ = os.Mkdir(filepath.Join(dir, "Reel 1"), 0o700)
		_ = os.Rename(at, filepath.Join(dir, "Reel 1", "The_Lantern_Ferry_Reel_1_POLY.WAV"))
	}
	wrong, receipt := d.check(t)
	assert.Empty(t, wrong)
	assert.True(t, receipt.Pass)
}

// Files of one name in two folders are each held to its own line, wherever the list lies; and one of them alone is not both.
func TestChecksumsOfTwoFilesOfOneName(t *testing.T) {
	dir := t.TempDir()
	sound, err := os.ReadFile(first(good(t, "poly").lay(t)))
	require.NoError(t, err)
	other := append([]byte{}, sound...)
	other[len(other)-1] ^= 1
	put := func(name string, b []byte) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), b, 0o600))
	}
	put("Reel 1/Mix.wav", sound)
	put("Reel 2/Mix.wav", other)
	byLines("MD5SUMS", "md5", "%s  %s\n")(t, dir, []string{"Reel 1/Mix.wav", "Reel 2/Mix.wav"})
	wrong := func() (said []string) {
		d, err := Open(context.Background(), dir, t.TempDir())
		require.NoError(t, err)
		defer d.Close()
		for _, f := range d.Files {
			for _, doubt := range f.Doubts {
				if doubt.Severity != contract.OK {
					said = append(said, f.Name+" "+doubt.Message)
				}
			}
		}
		return said
	}
	assert.Empty(t, wrong())
	put("Reel 2/Mix.wav", sound)
	assert.Equal(t, []string{"Reel 2/Mix.wav MD5, as the list of checksums has it"}, wrong(), "changed over for the other")
	put("Reel 2/Mix.wav", other)
	require.NoError(t, os.Rename(filepath.Join(dir, "Reel 2"), filepath.Join(dir, "Second")))
	assert.Empty(t, wrong(), "moved, and the same")
	require.NoError(t, os.Remove(filepath.Join(dir, "Second", "Mix.wav")))
	assert.Equal(t, []string{"Mix.wav The list of checksums has Mix.wav, and it is not there"}, wrong(), "one of the two is gone")
	require.NoError(t, os.Remove(filepath.Join(dir, "MD5SUMS")))
	assert.Empty(t, wrong())
	put("MD5SUMS", []byte("# made by hand\nReel 1/Mix.wav is fine\n"))
	assert.Equal(t, []string{"MD5SUMS The list of checksums has no line that could be read as one"}, wrong())
	put("MD5SUMS", []byte(strings.Repeat("x", mostList+1)))
	assert.Equal(t, []string{"MD5SUMS The list of checksums is larger than 8 MB, and was not read"}, wrong())
	put("MD5SUMS", []byte(strings.Repeat("x", 1<<20)+"\n"+sumOf(t, dir, "Reel 1/Mix.wav", "md5")+"  Mix.wav\n"))
	assert.Empty(t, wrong(), "a long line hides none behind it")
}
