package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/fault"
)

// Request is a request with a key of its own. Where its answer was lost it is made again under the same key, and makes nothing twice.
type Request struct {
	Key    string
	Digest string // of all of the request
	made   int    // how much it has made so far
	known  bool
}

// Known says that what the request has done is known by its key where it was done: an edit of a reel, whose history has it. Then its
// answer need not be kept, which is as large as what has changed.
func (r *Request) Known() bool { return r.known }

type requestKey struct{}

// Under gives a context in which things are made for a request.
func Under(ctx context.Context, r Request) context.Context {
	return context.WithValue(ctx, requestKey{}, &r)
}

// RequestOf is the request that a context is under; nil for one without a key, and for work.
func RequestOf(ctx context.Context) *Request {
	r, _ := ctx.Value(requestKey{}).(*Request)
	return r
}

var errOtherRequest = fault.New(fault.BadInput, "The key of this request has been used for another one; nothing was done. Send it with a key of its own")

// Once makes something in a transaction, unless the request that the context is under has made it before: then it gives the ID of
// that. What a request makes is told apart by the order in which it does.
func Once(ctx context.Context, tx pgx.Tx, do func() (id string, err error)) (id string, err error) {
	r := RequestOf(ctx)
	if r == nil {
		return do()
	}
	n := r.made
	tag, err := tx.Exec(ctx, "insert into requests (key, n, digest) values ($1, $2, $3) on conflict do nothing", r.Key, n, r.Digest)
	if err != nil {
		return "", err
	}
	if tag.RowsAffected() == 0 {
		var digest string
		if err := tx.QueryRow(ctx, "select digest, result from requests where key = $1 and n = $2", r.Key, n).Scan(&digest,
			&id); err != nil {
			return "", err
		}
		if digest != r.Digest {
			return "", errOtherRequest
		}
		r.made++
		return id, nil
	}
	if id, err = do(); err != nil {
		return "", err
	}
	r.made++
	_, err = tx.Exec(ctx, "update requests set result = $3 where key = $1 and n = $2", r.Key, n, id)
	return id, err
}

// Answer is what a request was answered with.
type Answer struct {
	Status   int    `json:"status"`
	Location string `json:"location"`
	Body     []byte `json:"body"`
}

// Answered gives what a request was answered with before; nil where it was not. The same key with another request is BadInput.
func (s *Store) Answered(ctx context.Context, r Request) (a *Answer, err error) {
	rows, err := s.Pool.Query(ctx, "select digest, answer from requests where key = $1 order by n limit 1", r.Key)
	if err != nil {
		return nil, err
	}
	var digest string
	_, err = pgx.ForEachRow(rows, []any{&digest, &a}, func() error {
		if digest != r.Digest {
			return errOtherRequest
		}
		return nil
	})
	return a, err
}

// KeepAnswer keeps what a request is answered with.
func (s *Store) KeepAnswer(ctx context.Context, r Request, a Answer) error {
	_, err := s.Pool.Exec(ctx, "insert into requests (key, n, digest, answer) values ($1, -1, $2, $3) on conflict do nothing", r.Key,
		r.Digest, a)
	return err
}

// ForgetRequests forgets what was asked for longer ago than that: nobody asks again.
func (s *Store) ForgetRequests(ctx context.Context, after time.Duration) error {
	_, err := s.Pool.Exec(ctx, "delete from requests where at < now() - $1::interval", after.String())
	return err
}
