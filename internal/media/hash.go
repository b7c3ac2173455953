package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
)

// Hash gives the SHA-256 of what a reader holds from its beginning on, in hexadecimal.
func Hash(ctx context.Context, r io.ReaderAt) (string, error) {
	sum := sha256.New()
	buf := make([]byte, 1<<20)
	for at := int64(0); ; {
		if err := ctx.Err(); err != nil {
			return "", err
		}
		n, err := r.ReadAt(buf, at)
		sum.Write(buf[:n])
		at += int64(n)
		if errors.Is(err, io.EOF) {
			return hex.EncodeToString(sum.Sum(nil)), nil
		}
		if err != nil {
			return "", err
		}
	}
}
