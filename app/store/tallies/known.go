package tallies

import (
	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// KnownValues remembers which sources and values a tally tells apart. Only the writer uses it.
type KnownValues struct {
	read   *gorm.DB
	shared bool              // other servers store values too
	looked map[knownSet]bool // sets that were read within this transaction
	sets   map[knownSet]map[string]bool
	fresh  []KnownValue // not stored yet
}

type knownSet struct{ quiz, kind string }

// maxKnownSets bounds how many sets are remembered.
const maxKnownSets = 4096

// NewKnownValues knows none yet; shared is whether other servers store values too.
func NewKnownValues(db *gorm.DB, shared bool) *KnownValues {
	return &KnownValues{read: db, shared: shared, looked: map[knownSet]bool{}, sets: map[knownSet]map[string]bool{}}
}

// name is the value itself, or ValueOthers when so many others came before it. Where other servers may have stored
// values meanwhile, one that is not known is looked for once more in each transaction: no other one that writes is
// under way.
func (k *KnownValues) name(quizID, kind, value string, most int) (string, error) {
	key := knownSet{quizID, kind}
	set, loaded := k.sets[key]
	if !loaded || k.shared && value != "" && !set[value] && !k.looked[key] {
		var err error
		if set, err = k.load(key); err != nil {
			return "", err
		}
	}
	switch {
	case value == "" || set[value]:
		return value, nil
	case len(set) >= most:
		return ValueOthers, nil
	}
	set[value] = true
	k.fresh = append(k.fresh, KnownValue{quizID, kind, value})
	return value, nil
}

// load reads a set, with what is to be stored of it.
func (k *KnownValues) load(key knownSet) (map[string]bool, error) {
	var list []KnownValue
	if err := k.read.Where("quiz_id = ? AND kind = ?", key.quiz, key.kind).Find(&list).Error; err != nil {
		return nil, err
	}
	if len(k.sets) >= maxKnownSets && len(k.fresh) == 0 {
		clear(k.sets)
	}
	set := make(map[string]bool, len(list))
	for _, v := range append(list, k.fresh...) {
		if v.QuizID == key.quiz && v.Kind == key.kind {
			set[v.Name] = true
		}
	}
	k.sets[key], k.looked[key] = set, true
	return set, nil
}

// Store writes the values that are new.
func (k *KnownValues) Store(tx *database.Transaction) error {
	if len(k.fresh) == 0 {
		return nil
	}
	insert, err := tx.Prepare(
		"INSERT INTO known_values (quiz_id, kind, name) VALUES (?, ?, ?) ON CONFLICT DO NOTHING",
	)
	if err != nil {
		return err
	}
	defer insert.Close()
	for _, v := range k.fresh {
		if _, err := insert.Exec(v.QuizID, v.Kind, v.Name); err != nil {
			return err
		}
	}
	return nil
}

// Settle forgets which values were new once they are stored; after a failure all is read again.
func (k *KnownValues) Settle(err error) {
	k.fresh = nil
	clear(k.looked)
	if err != nil {
		clear(k.sets)
	}
}
