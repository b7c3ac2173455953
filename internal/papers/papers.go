// Package papers makes what lies beside the files of a delivery: the report, and a list of checksums.
//
// In: a print whose files have been checked. Out: papers, by their names in the delivery's folder. Begin reading at Of.
package papers

import (
	"encoding/json"
	"fmt"
	"strings"

	"zestyloom/core/delivery"
)

// Paper is a small file beside those that were printed.
type Paper struct {
	Name string
	Text []byte
}

// Of gives the papers of a delivery.
func Of(report delivery.Report) ([]Paper, error) {
	written, err := json.MarshalIndent(report, "", "  ")
	if err != nil {
		return nil, err
	}
	return []Paper{{"report.json", written}, {"manifest.sha256", []byte(Manifest(report.Files))}}, nil
}

// Manifest lists the files as sha256sum reads it.
func Manifest(files []delivery.DeliveredFile) string {
	var b strings.Builder
	for _, f := range files {
		fmt.Fprintf(&b, "%s  %s\n", f.SHA256, f.Name)
	}
	return b.String()
}
