package demo

import (
	"os"
	"path/filepath"
)

// CutList is the cut list of the picture cut that the demo's reel follows; NextCut the one after it: scene 12A is two
// seconds shorter, all that follows comes earlier, there is more of 12B, and a pick-up has not arrived yet.
const (
	CutList = "Picture cut v3.edl"
	NextCut = "Picture cut v4.edl"
)

var cutLists = map[string]string{
	CutList: `TITLE: The crossing, picture cut v3
FCM: NON-DROP FRAME

001  LF03     AA/V  C        10:00:32:00 10:00:52:00 10:00:32:00 10:00:52:00
* FROM CLIP NAME: 12A-3
002  LF03     AA/V  C        10:00:54:21 10:01:11:21 10:00:54:21 10:01:11:21
* FROM CLIP NAME: 12B-1
003  LF03     AA/V  C        10:01:14:00 10:01:30:00 10:01:14:00 10:01:30:00
* FROM CLIP NAME: 14-1
004  B02      AA/V  C        10:02:40:12 10:02:56:12 10:01:34:00 10:01:50:00
* FROM CLIP NAME: 18C-2
`,
	NextCut: `TITLE: The crossing, picture cut v4
FCM: NON-DROP FRAME

001  LF03     AA/V  C        10:00:32:00 10:00:50:00 10:00:32:00 10:00:50:00
* FROM CLIP NAME: 12A-3
002  LF03     AA/V  C        10:00:54:21 10:01:11:21 10:00:52:21 10:01:09:21
* FROM CLIP NAME: 12B-1
003  LF03     AA/V  C        10:01:14:00 10:01:30:00 10:01:12:00 10:01:28:00
* FROM CLIP NAME: 14-1
004  B02      AA/V  C        10:02:40:12 10:02:56:12 10:01:32:00 10:01:48:00
* FROM CLIP NAME: 18C-2
005  LF03     AA/V  C        10:01:42:00 10:01:48:00 10:01:48:00 10:01:54:00
* FROM CLIP NAME: 12B-2
006  LF05     AA/V  C        15:20:10:00 15:20:13:00 10:01:54:00 10:01:57:00
* FROM CLIP NAME: 18C-7
`,
}

// CutListText gives a cut list.
func CutListText(name string) string { return cutLists[name] }

// CutListFile is where a cut list lies in the folder of the scenario.
func CutListFile(dir, name string) string { return filepath.Join(dir, "cut lists", name) }

// writeCutLists writes the lists.
func writeCutLists(dir string) error {
	for name, text := range cutLists {
		file := CutListFile(dir, name)
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}
