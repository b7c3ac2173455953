package app_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

func TestServerProcess(t *testing.T) { apptest.Serve(t) }

// The server is killed in the middle of an upload, of imports and of a batch: what was done stays, the rest goes on.
func TestKilledInTheMiddle(t *testing.T) {
	s := apptest.Start(t)
	s.Stop()
	const count = 6
	var names []string
	for i := range count {
		names = append(names, fmt.Sprintf("take%d.wav", i))
		s.Record(names[i], 40+float64(i)/10, "Boom", "Ines lav", "Tobiah lav", "Radio")
	}
	kill := s.RunApart()
	production := s.Production()

	file := s.Copied(names[0])
	location, res := upload(t, s, production, "upload.wav", len(file), nil)
	require.Equal(t, http.StatusCreated, res.StatusCode)
	_, err := patch(s, location, 0, &broken{file[:2_000_000]}, int64(len(file)))
	require.Error(t, err)
	s.OK("POST", "/productions/"+production+"/imports", api.CardImport{Card: "LF03", Paths: names}, nil)
	progressed(t, s, production, func(w api.Work) bool { return w.Kind == "import" && w.State == "done" })
	kill()
	kill = s.RunApart()
	for title, w := range s.Settled(production) {
		if title == "upload.wav" {
			assert.Equal(t, "arriving", w.State)
			continue
		}
		assert.Equal(t, "done", w.State, "%s: %s", title, w.Message)
	}
	takes := s.Takes(production)
	assert.Len(t, takes, count)
	head, err := http.NewRequest("HEAD", s.Base+location, nil)
	require.NoError(t, err)
	head.Header.Set("Tus-Resumable", "1.0.0")
	answer, err := http.DefaultClient.Do(head)
	require.NoError(t, err)
	answer.Body.Close()
	sent, err := strconv.Atoi(answer.Header.Get("Upload-Offset"))
	require.NoError(t, err)
	assert.Positive(t, sent, "what had arrived of the upload is still there")

	var ids []string
	for _, name := range names {
		ids = append(ids, takes[name].ID)
	}
	s.OK("POST", "/productions/"+production+"/batches", map[string]any{"kind": "ply", "takes": ids,
		"settings": map[string]any{"all": true, "singly": false}}, nil)
	half := progressed(t, s, production, func(w api.Work) bool { return w.Kind == "ply" && len(w.Report) > 0 })
	first, err := filepath.Glob(filepath.Join(s.Data, "media/batches", half.ID, "*", half.Report[0].Files[0].Name))
	require.NoError(t, err)
	require.Len(t, first, 1)
	before, err := os.Stat(first[0])
	require.NoError(t, err)
	kill()
	s.RunApart()
	work := s.Settled(production)[half.Title]
	require.Equal(t, "done", work.State, work.Message)
	require.Len(t, work.Report, count)
	after, err := os.Stat(first[0])
	require.NoError(t, err)
	assert.Equal(t, before.ModTime(), after.ModTime(), "what was written is not written again")
	for i, o := range work.Report {
		require.True(t, o.OK, o.Message)
		got, _ := samples(t, s.File("/work/"+work.ID+"/files/"+o.Files[0].Name))
		want, _ := samples(t, s.Copied(names[i]))
		assert.Equal(t, want, got, names[i])
	}
	require.Eventually(t, func() bool { // what was left of the attempt that was killed is cleared
		left, err := filepath.Glob(filepath.Join(s.Data, "media/attempts/*"))
		return err == nil && len(left) == 0
	}, 60*time.Second, 10*time.Millisecond)
}

// progressed waits until some work has come as far as is asked for.
func progressed(t *testing.T, s *apptest.Server, production string, far func(api.Work) bool) (found api.Work) {
	require.Eventually(t, func() bool {
		var list []api.Work
		s.OK("GET", "/productions/"+production+"/work", nil, &list)
		for _, w := range list {
			if w = work(s, w.ID); far(w) {
				found = w
				return true
			}
		}
		return false
	}, 60*time.Second, 5*time.Millisecond)
	return found
}
