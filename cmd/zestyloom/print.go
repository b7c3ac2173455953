package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"zestyloom/core/contract"
	"zestyloom/core/delivery"
	"zestyloom/core/fault"
	"zestyloom/internal/api"
)

// printResult is what the print verb says.
type printResult struct {
	Files    []string        `json:"files"`
	Check    delivery.Report `json:"check"`
	Manifest string          `json:"manifest"`
}

func printCommand() *cobra.Command {
	var server, production, reelName, spec, packaging, out string
	var ranges []string
	var restamp bool
	c := &cobra.Command{
		Use: "print", Short: "Print a reel of a running server and fetch the delivery", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			client := remote{strings.TrimRight(server, "/") + api.Base}
			request := api.PrintRequest{Spec: &spec}
			if packaging != "" {
				p := contract.Packaging(packaging)
				request.Packaging = &p
			}
			if len(ranges) > 0 {
				request.Range = &ranges
			}
			if restamp {
				request.Restamp = &restamp
			}
			result, err := client.print(c, production, reelName, request, out)
			if err != nil {
				return err
			}
			err = output(c, result, func() {
				for _, f := range result.Files {
					fmt.Fprintln(c.OutOrStdout(), f)
				}
				for _, f := range result.Check.Findings {
					fmt.Fprintf(c.OutOrStdout(), "%-7s %s %s (%s)\n", f.Severity, f.Message, f.Measured, f.Limit)
				}
			})
			if err == nil && !result.Check.Pass {
				return errWanting
			}
			return err
		},
	}
	address := os.Getenv("ZESTYLOOM_SERVER")
	if address == "" {
		address = "http://" + defaultAddress
	}
	c.Flags().StringVar(&server, "server", address, "address of the running application (or ZESTYLOOM_SERVER)")
	c.Flags().StringVar(&production, "production", "", "name of the production")
	c.Flags().StringVar(&reelName, "reel", "", "name of the reel")
	c.Flags().StringVar(&spec, "spec", "", "delivery spec: its ID on the server, or a YAML file")
	c.Flags().StringVar(&packaging, "packaging", "", "one of the spec's ways of packing; its first where left out")
	c.Flags().StringArrayVar(&ranges, "range", nil, "reel, marks, mark NAME, or FROM–TO in timecode, instead of the spec's; may be given again")
	c.Flags().BoolVar(&restamp, "restamp", false, "stamp the files as the spec asks, wherever the reel starts")
	c.Flags().StringVar(&out, "out", "", "folder to write to")
	for _, name := range []string{"production", "reel", "spec", "out"} {
		_ = c.MarkFlagRequired(name)
	}
	return c
}

// remote is a running application.
type remote struct{ base string }

func (r remote) print(c *cobra.Command, production, reelName string, request api.PrintRequest, out string) (*printResult, error) {
	ctx := c.Context()
	of, id, err := r.find(ctx, production, reelName)
	if err != nil {
		return nil, err
	}
	if text, err := os.ReadFile(*request.Spec); err == nil { // a file
		var stored contract.Spec
		if err := r.call(ctx, http.MethodPost, "/specs?production="+of, "application/yaml", text, &stored); err != nil {
			return nil, err
		}
		request.Spec = &stored.ID
	}
	body, err := json.Marshal(request)
	if err != nil {
		return nil, err
	}
	var p api.Print
	if err := r.call(ctx, http.MethodPost, "/reels/"+id+"/prints", "application/json", body, &p); err != nil {
		return nil, err
	}
	tell := progress(c, "printing")
	for p.State == "queued" || p.State == "running" {
		tell(p.Progress)
		select {
		case <-ctx.Done():
			_ = r.call(context.WithoutCancel(ctx), http.MethodPost, "/work/"+p.ID+"/cancel", "", nil, nil)
			return nil, fault.New(fault.Cancelled, "The print was stopped")
		case <-time.After(300 * time.Millisecond):
		}
		if err := r.call(ctx, http.MethodGet, "/prints/"+p.ID, "", nil, &p); err != nil {
			return nil, err
		}
	}
	if p.Report == nil {
		return nil, fault.New(fault.Damaged, "The print did not come to its end: %s", p.Message)
	}
	return r.fetch(ctx, p, out)
}

func (r remote) find(ctx context.Context, production, reelName string) (productionID, reelID string, err error) {
	var productions []api.Production
	if err := r.call(ctx, http.MethodGet, "/productions", "", nil, &productions); err != nil {
		return "", "", err
	}
	for _, p := range productions {
		if p.Name != production {
			continue
		}
		var reels []api.ReelInfo
		if err := r.call(ctx, http.MethodGet, "/productions/"+p.ID+"/reels", "", nil, &reels); err != nil {
			return "", "", err
		}
		for _, info := range reels {
			if info.Name == reelName {
				return p.ID, info.ID, nil
			}
		}
		return "", "", fault.New(fault.NotFound, "%s has no reel called %q", production, reelName)
	}
	return "", "", fault.New(fault.NotFound, "The server has no production called %q", production)
}

// fetch brings the files, the report and the manifest into a folder, and checks that they arrived whole.
func (r remote) fetch(ctx context.Context, p api.Print, out string) (*printResult, error) {
	if err := os.MkdirAll(out, 0o755); err != nil {
		return nil, at(out, err)
	}
	result := &printResult{Files: []string{}, Check: *p.Report, Manifest: filepath.Join(out, "manifest.sha256")}
	manifest := ""
	for _, f := range p.Report.Files {
		target := filepath.Join(out, filepath.Base(f.Name))
		sum, err := r.download(ctx, "/prints/"+p.ID+"/files/"+url.PathEscape(f.Name), target)
		if err != nil {
			return nil, err
		}
		if sum != f.SHA256 {
			return nil, &fault.Error{Kind: fault.Damaged, Message: "The file did not arrive as the server has it; print again", Place: target,
				Offset: -1}
		}
		result.Files = append(result.Files, target)
		manifest += sum + "  " + filepath.Base(f.Name) + "\n"
	}
	report, err := json.MarshalIndent(p.Report, "", "  ")
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(out, "report.json"), report, 0o644); err != nil {
		return nil, at(out, err)
	}
	return result, os.WriteFile(result.Manifest, []byte(manifest), 0o644)
}

func (r remote) download(ctx context.Context, path, target string) (sum string, err error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, r.base+path, nil)
	if err != nil {
		return "", err
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return "", r.unreachable(err)
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return "", problem(res)
	}
	f, err := os.Create(target)
	if err != nil {
		return "", at(target, err)
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(io.MultiWriter(f, h), res.Body); err != nil {
		return "", at(target, err)
	}
	return hex.EncodeToString(h.Sum(nil)), f.Close()
}

// call sends a request and decodes its answer into result, if that is not nil.
func (r remote) call(ctx context.Context, method, path, contentType string, body []byte, result any) error {
	req, err := http.NewRequestWithContext(ctx, method, r.base+path, bytes.NewReader(body))
	if err != nil {
		return err
	}
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	req.Header.Set("Loom-Author", "script")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return r.unreachable(err)
	}
	defer res.Body.Close()
	if res.StatusCode >= 300 {
		return problem(res)
	}
	if result == nil {
		return nil
	}
	return json.NewDecoder(res.Body).Decode(result)
}

func (r remote) unreachable(err error) error {
	return fault.Wrap(fault.NotFound, err, "No application answers at %s; start it, or say where it is with --server",
		strings.TrimSuffix(r.base, api.Base))
}

// problem reads what a server's refusal says.
func problem(res *http.Response) error {
	var p api.Problem
	if err := json.NewDecoder(io.LimitReader(res.Body, 1<<16)).Decode(&p); err != nil || p.Title == "" {
		return fault.New(fault.Damaged, "The server answered %s", res.Status)
	}
	kind := fault.BadInput
	if p.Kind != nil {
		kind = fault.Kind(*p.Kind)
	}
	return fault.New(kind, "%s", p.Title)
}
