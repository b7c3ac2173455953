package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
)

// Receipt is a delivery that the desk looks at, or has looked at.
type Receipt struct {
	ID         string             `json:"id"`
	Production string             `json:"production"`
	Print      *string            `json:"print"` // ID, where it is one of ours
	Name       string             `json:"name"`
	Folder     string             `json:"-"`    // key of the folder that its files lie in
	Spec       *contract.Spec     `json:"spec"` // nil where the desk is only to say what it is
	Packaging  contract.Packaging `json:"packaging"`
	State      string             `json:"state"`
	Progress   float64            `json:"progress"`
	Message    string             `json:"message"`
	Receipt    *desk.Receipt      `json:"receipt"` // nil until it has looked
	CreatedAt  time.Time          `json:"createdAt"`
}

const receiptColumns = `select r.id::text, r.production_id::text, r.print_id::text, r.name, r.folder, r.spec, r.packaging, w.state,
	w.progress, w.message, r.receipt, r.created_at
	from receipts r join work w on w.id = r.id `

func (s *Store) receipts(ctx context.Context, where string, args ...any) ([]Receipt, error) {
	rows, err := s.Pool.Query(ctx, receiptColumns+where, args...)
	if err != nil {
		return nil, notFound(err, "receipt")
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Receipt])
	if list == nil {
		list = []Receipt{}
	}
	return list, notFound(err, "receipt")
}

// ListedReceipt is a receipt as a list shows it.
type ListedReceipt struct {
	ID         string    `json:"id"`
	Production string    `json:"production"`
	Print      *string   `json:"print"` // ID, where it is one of ours
	Name       string    `json:"name"`
	Asked      bool      `json:"asked"` // whether it was held against a spec
	State      string    `json:"state"`
	Progress   float64   `json:"progress"`
	Message    string    `json:"message"`
	Passed     *bool     `json:"passed"` // nil until the desk has looked
	CreatedAt  time.Time `json:"createdAt"`
}

// Receipts lists the deliveries of a production that the desk has looked at, newest first.
func (s *Store) Receipts(ctx context.Context, production string, p Page) ([]ListedReceipt, error) {
	rows, err := s.Pool.Query(ctx, `select r.id::text, r.production_id::text, r.print_id::text, r.name, r.asked, w.state, w.progress, w.message, r.passed,
		r.created_at from receipts r join work w on w.id = r.id where r.production_id = $1 and r.created_at < $2 order by r.created_at desc limit $3`,
		production, p.Before, p.Limit)
	if err != nil {
		return nil, notFound(err, "production")
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[ListedReceipt])
	return list, notFound(err, "production")
}

// Receipt finds one by its ID.
func (s *Store) Receipt(ctx context.Context, id string) (Receipt, error) {
	list, err := s.receipts(ctx, "where r.id = $1", id)
	if err == nil && len(list) == 0 {
		err = notFound(pgx.ErrNoRows, "receipt")
	}
	if err != nil {
		return Receipt{}, err
	}
	return list[0], nil
}

// AddReceipt stores what the desk is to look at.
func (s *Store) AddReceipt(ctx context.Context, tx pgx.Tx, id string, r Receipt) error {
	_, err := tx.Exec(ctx, "insert into receipts (id, production_id, print_id, name, folder, spec, packaging) values ($1, $2, $3, $4, $5, $6, $7)",
		id, r.Production, r.Print, r.Name, r.Folder, r.Spec, r.Packaging)
	return err
}

// SetReceipt stores what the desk has found.
func (s *Store) SetReceipt(ctx context.Context, c Claim, found desk.Receipt) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := c.hold(ctx, tx); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "update receipts set receipt = $2 where id = $1", c.Work, found)
		return err
	})
}
