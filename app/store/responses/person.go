package responses

import (
	"errors"
	"strings"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/tallies"
)

// Held is all that is kept of one person: what has their email address, in every quiz, also in those in the bin.
type Held struct {
	Email       string
	Responses   []Response // the oldest first, those set aside too
	Deals       []Deal
	Invitations []Invitation
}

// Empty reports whether nothing is kept.
func (h *Held) Empty() bool { return len(h.Responses)+len(h.Invitations) == 0 }

// Person returns what is kept of the person with an email address. Capitals make no difference in it.
func (s *Store) Person(email string) (*Held, error) {
	out := &Held{Email: strings.TrimSpace(email)}
	if out.Email == "" {
		return out, nil
	}
	// An address of the contact step is a word. Of one that was typed as an answer its parts are: the longest on each
	// side of its sign, as half of all people may share a domain.
	quizzes := s.Read.Model(&documents.Quiz{}).Select("id")
	has := func(word string) *gorm.DB {
		return s.Read.Model(&Word{}).Select("response_id").Where("quiz_id IN (?) AND word = ?", quizzes, word)
	}
	name, domain, _ := strings.Cut(strings.ToLower(out.Email), "@")
	with := has(strings.ToLower(out.Email))
	if name, domain = longestWord(name), longestWord(domain); name != "" && domain != "" {
		with = s.Read.Model(&Word{}).Select("response_id").Where("response_id IN (?) OR response_id IN (?)",
			with, has(name).Where("response_id IN (?)", has(domain)))
	}
	var list []Response
	kept := s.Read.Where("id IN (?) AND kept = ?", with, true)
	if err := kept.Order("at, id").Find(&list).Error; err != nil {
		return nil, err
	}
	for i := range list {
		ok, err := isOf(&list[i], out.Email)
		if err != nil {
			return nil, err
		}
		if ok {
			out.Responses = append(out.Responses, list[i])
		}
	}
	for i := range out.Responses {
		deal, err := s.DealOf(out.Responses[i].ID)
		if err != nil {
			return nil, err
		}
		if deal.ResponseID != "" {
			out.Deals = append(out.Deals, deal)
		}
	}
	err := s.Read.Where("LOWER(email) = LOWER(?)", out.Email).Order("at, id").Find(&out.Invitations).Error
	return out, err
}

// longestWord is the longest of a text's words; "" where it has none.
func longestWord(text string) string {
	longest := ""
	for _, word := range splitWords(text) {
		if len(word) > len(longest) {
			longest = word
		}
	}
	return longest
}

// isOf reports whether a response is of the person with an email address: it was left in the contact step, or it is an
// answer by itself. An address within a longer text may be anyone's.
func isOf(r *Response, email string) (bool, error) {
	if strings.EqualFold(r.Email, email) {
		return true, nil
	}
	a, err := r.Answered()
	if err != nil {
		return false, err
	}
	for _, answer := range a.Answers {
		if strings.EqualFold(strings.TrimSpace(answer.Text), email) {
			return true, nil
		}
	}
	return false, nil
}

// ErasePerson deletes all that is kept of the person with an email address, and returns what that was. Their responses
// leave the figures, and nothing of them stays in the files of the database.
func (s *Store) ErasePerson(email string) (*Held, error) {
	held, err := s.Person(email)
	if err != nil {
		return nil, err
	}
	if err := s.dropSearches(held); err != nil {
		return nil, err
	}
	if held.Empty() {
		return held, s.EraseTraces()
	}
	for i := range held.Responses {
		r := &held.Responses[i]
		if err := s.deleteResponse(r.QuizID, r.ID); err != nil && !database.IsNotFound(err) {
			return nil, err
		}
	}
	err = s.Alone(func() error {
		return s.Transact(func(tx *gorm.DB) error {
			if err := dropInvitationMails(tx, held.Invitations); err != nil {
				return err
			}
			return tx.Where("LOWER(email) = LOWER(?)", held.Email).Delete(&Invitation{}).Error
		})
	})
	if err != nil {
		return nil, err
	}
	return held, s.BumpState(s.EraseTraces())
}

// dropSearches deletes the searches for a person that any quiz keeps, also one that has nothing else of them.
func (s *Store) dropSearches(held *Held) error {
	if held.Email == "" {
		return nil
	}
	who := []person{{email: held.Email}}
	for i := range held.Invitations {
		who = append(who, person{name: held.Invitations[i].Name})
	}
	return s.InTurn(func(tx *database.Transaction, _ *tallies.Sums) error {
		quizzes, err := tx.Strings("SELECT quiz_id FROM kept_filters UNION SELECT quiz_id FROM result_links")
		for _, id := range quizzes {
			err = errors.Join(err, dropNaming(tx, id, who...))
		}
		return err
	})
}
