package take

import (
	"path"
	"regexp"
	"strings"
)

// ending is that of a file of sound or picture, or of what lies beside them. What else follows a dot is part of a name: Island 5.1.
var ending = regexp.MustCompile(`(?i)\.(wave?|bwf|rf64|w64|bw64|aif[fc]?|flac|caf|mp[234]|m4[av]|ogg|opus|` +
	`mov|mkv|mxf|avi|webm|mpe?g|mts|m2ts|csv|txt|pdf|xml)$`)

// Bare is the name of a file without its folder and its ending.
func Bare(fileName string) string {
	return ending.ReplaceAllString(path.Base(strings.ReplaceAll(fileName, "\\", "/")), "")
}
