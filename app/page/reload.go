package page

import (
	"bytes"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
)

// sources are the folders that embedded files come from, where these are read again for each page; nil where they are
// not. It is set before the first page.
var sources *sourceFolders

type sourceFolders struct {
	root string
	mu   sync.Mutex
	of   map[fs.FS]fs.FS
}

// Reload reads templates, styles and scripts again for each page, from the source below root that the program was built
// from: what someone changes there shows in the next page. It is called before any page is made.
func Reload(root string) error {
	s := &sourceFolders{root: root, of: map[fs.FS]fs.FS{}}
	if s.folder(Templates) == Templates {
		return fmt.Errorf("%s isn’t the source of this program; build it again there", root)
	}
	sources = s
	return nil
}

// folder is where embedded files come from: the folder that holds all of them as they are. Without one, or where
// nothing is read again, it is the embedded files.
func (s *sourceFolders) folder(embedded fs.FS) fs.FS {
	if s == nil {
		return embedded
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if found, known := s.of[embedded]; known {
		return found
	}
	found := embedded
	_ = filepath.WalkDir(filepath.Join(s.root, "app"), func(dir string, entry fs.DirEntry, err error) error {
		if err != nil || !entry.IsDir() {
			return err
		}
		if from := os.DirFS(dir); holds(from, embedded) {
			found = from
			return fs.SkipAll
		}
		return nil
	})
	s.of[embedded] = found
	return found
}

// holds reports whether a folder has all files of another, with the same contents.
func holds(folder, other fs.FS) bool {
	err := fs.WalkDir(other, ".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		want, err := fs.ReadFile(other, name)
		if err != nil {
			return err
		}
		got, err := fs.ReadFile(folder, name)
		if err == nil && !bytes.Equal(got, want) {
			err = fs.ErrNotExist
		}
		return err
	})
	return err == nil
}
