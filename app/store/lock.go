package store

import (
	"errors"
	"fmt"
	"path/filepath"

	"github.com/gofrs/flock"
)

// lockFile is held by the one program that writes to a folder. The system lets go of it with the process, however that
// ends.
const lockFile = "omphalos.lock"

// ErrInUse is returned for a folder that another program holds.
var ErrInUse = errors.New("another Omphalos server is using it")

func takeLock(dir string) (*flock.Flock, error) {
	l := flock.New(filepath.Join(dir, lockFile))
	got, err := l.TryLock()
	if err != nil {
		return nil, fmt.Errorf("couldn’t lock the data folder %s: %w", dir, err)
	}
	if !got {
		return nil, fmt.Errorf("couldn’t open the data folder %s: %w. Stop that server, or choose another folder "+
			"with --data", dir, ErrInUse)
	}
	return l, nil
}
