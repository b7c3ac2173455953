package main

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"zestyloom/core/fault"
	"zestyloom/demo"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// defaultAddress is where the server listens, and where the headless print looks for it.
const defaultAddress = "127.0.0.1:7420"

// serverFlags are what serve, worker and demo share.
type serverFlags struct {
	database, data, address, ready string
	cards, hosts, receivers        []string
	asItIs, nextPort               bool
	connections                    []int32
}

func (f *serverFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&f.database, "database", "", "PostgreSQL URL (without it: ZESTYLOOM_DATABASE)")
	c.Flags().StringVar(&f.data, "data", "data", "folder for media")
	c.Flags().BoolVar(&f.asItIs, "as-it-is", false, "the database is right, though it is older than the folder or knows little of it: what it does not know goes into the trash")
	c.Flags().Int32SliceVar(&f.connections, "connections", []int32{store.Requests.Connections, store.Working.Connections,
		store.Keeping.Connections},
		"most connections to the database: for requests, for work, and for the queue (at least 3)")
	c.Flags().StringArrayVar(&f.cards, "card", nil, "NAME=FOLDER that takes may be taken from (repeat for more)")
	c.Flags().StringArrayVar(&f.receivers, "receiver", nil, "NAME=FOLDER that deliveries may be written to (repeat for more)")
}

func (f *serverFlags) addServing(c *cobra.Command) {
	f.add(c)
	c.Flags().StringVar(&f.address, "address", defaultAddress, "address to listen on")
	c.Flags().BoolVar(&f.nextPort, "next-port", false, "where the address is taken, the next port that is free will do")
	c.Flags().StringVar(&f.ready, "ready", "", "file to write the address to once the application answers")
	c.Flags().StringArrayVar(&f.hosts, "host", nil, "host name to answer for besides loopback's (repeat for more)")
}

// url is where the database is.
func (f *serverFlags) url() (string, error) {
	if f.database == "" {
		f.database = os.Getenv("ZESTYLOOM_DATABASE") // not the flag's default, which --help would show with its password
	}
	if f.database == "" {
		return "", fault.New(fault.BadInput, "Say where PostgreSQL is: --database or ZESTYLOOM_DATABASE")
	}
	return f.database, nil
}

func (f *serverFlags) open(ctx context.Context) (*app.App, error) {
	if _, err := f.url(); err != nil {
		return nil, err
	}
	roots, err := namedFolders("--card", f.cards)
	if err != nil {
		return nil, err
	}
	receivers, err := namedFolders("--receiver", f.receivers)
	if err != nil {
		return nil, err
	}
	if len(f.connections) != 3 || f.connections[0] < 1 || f.connections[1] < 1 || f.connections[2] < 3 {
		return nil, fault.New(fault.BadInput, "--connections takes three numbers, such as 12,8,4; the last at least 3")
	}
	return app.Open(ctx, app.Config{Database: f.database, Data: f.data, Pools: app.Pools{Requests: f.connections[0],
		Working: f.connections[1],
		Keeping: f.connections[2]}, Cards: roots, Receivers: receivers, Hosts: f.hosts, AsItIs: f.asItIs,
		Log: slog.New(slog.NewTextHandler(os.Stderr, nil))})
}

// namedFolders reads what a flag has been given, again and again: NAME=FOLDER.
func namedFolders(flag string, given []string) (map[string]string, error) {
	folders := map[string]string{}
	for _, g := range given {
		name, dir, ok := strings.Cut(g, "=")
		if !ok {
			return nil, fault.New(fault.BadInput, "%s takes NAME=FOLDER, not %q", flag, g)
		}
		folders[name] = dir
	}
	return folders, nil
}

// more is how many ports after the one that was asked for are tried where that may be another one.
const more = 200

// bind takes the address or, where another port is as good, the next one that is free.
func (f *serverFlags) bind() (net.Listener, error) {
	l, err := net.Listen("tcp", f.address)
	host, port, split := net.SplitHostPort(f.address)
	first, number := strconv.Atoi(port)
	if !f.nextPort || split != nil || number != nil {
		return l, err
	}
	for n := first + 1; errors.Is(err, syscall.EADDRINUSE) && n <= first+more; n++ {
		l, err = net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(n)))
	}
	return l, err
}

// listen opens the address and, once announce is called, tells where it is.
func (f *serverFlags) listen(c *cobra.Command) (net.Listener, func() error, error) {
	l, err := f.bind()
	if err != nil {
		return nil, nil, fault.Wrap(fault.BadInput, err, "The server can't listen on %s; is it running already?", f.address)
	}
	return l, func() error {
		url := "http://" + l.Addr().String()
		note(c, "Zesty Loom is at %s", url)
		if f.ready == "" {
			return nil
		}
		return os.WriteFile(f.ready, []byte(url+"\n"), 0o644)
	}, nil
}

func serveCommand() *cobra.Command {
	var f serverFlags
	c := &cobra.Command{
		Use: "serve", Short: "Run the application", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			a, err := f.open(c.Context())
			if err != nil {
				return err
			}
			defer a.Close()
			l, announce, err := f.listen(c)
			if err != nil {
				return err
			}
			if err := announce(); err != nil {
				return err
			}
			return a.Serve(c.Context(), l)
		},
	}
	f.addServing(c)
	return c
}

func workerCommand() *cobra.Command {
	var f serverFlags
	c := &cobra.Command{
		Use: "worker", Short: "Do queued work without serving", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			a, err := f.open(c.Context())
			if err != nil {
				return err
			}
			defer a.Close()
			return a.Work(c.Context())
		},
	}
	f.add(c)
	return c
}

func demoCommand() *cobra.Command {
	var f serverFlags
	c := &cobra.Command{
		Use: "demo", Short: "Run the application with the demo production", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			scenario := filepath.Join(f.data, "scenario")
			for name, dir := range demo.Cards(scenario) {
				f.cards = append(f.cards, name+"="+dir)
			}
			collected := filepath.Join(f.data, "collected")
			if err := os.MkdirAll(collected, 0o755); err != nil {
				return err
			}
			f.receivers = append(f.receivers, "Harbour Mile Television="+collected)
			a, err := f.open(c.Context())
			if err != nil {
				return err
			}
			defer a.Close()
			l, announce, err := f.listen(c)
			if err != nil {
				return err
			}
			ctx, stop := context.WithCancel(c.Context())
			defer stop()
			served := make(chan error, 1)
			err = a.Prepare(func() error {
				go func() { served <- a.Serve(ctx, l) }()
				note(c, "Making the demo's sound and bringing it in…")
				return seed(ctx, a, scenario)
			})
			if err == nil {
				err = announce()
			}
			if err != nil {
				stop()
				<-served
				return err
			}
			return <-served
		},
	}
	f.addServing(c)
	return c
}
