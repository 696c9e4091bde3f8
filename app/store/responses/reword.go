package responses

import (
	"gorm.io/gorm"

	"omphalos/app/store/people"
)

// reworded are verbs of the journal as earlier programs wrote them, and as they are now.
var reworded = [][2]string{
	{"set a second factor", "turned on a second factor"},
	{"took their second factor away", "turned off their second factor"},
	{"made a token", "created a token"},
	{"brought in a quiz", "imported a quiz"},
	{"made a quiz", "created a quiz"},
	{"brought in deals", "imported deals"},
	{"copied a quiz", "duplicated a quiz"},
	{"took an import out", "undid an import"},
	{"changed who may frame", "changed which sites may embed the quiz"},
	{"added a hook", "added a webhook"},
	{"deleted a hook", "deleted a webhook"},
	{"switched a hook off", "turned off a webhook"},
	{"switched a hook on", "turned on a webhook"},
	{"renewed a hook’s secret", "created a new webhook secret"},
	{"changed who may begin", "changed access or schedule"},
	{"brought in responses", "imported responses"},
	{"took back shared results", "revoked shared results"},
	{"changed how agreeing is confirmed", "changed how consent is confirmed"},
	{"took somebody off the list", "removed someone from the mailing list"},
	{"exported the list", "exported the mailing list"},
	{"sent a mail again", "sent an email again"},
	{"sent a test mail", "sent a test email"},
	{"brought a quiz back", "restored a quiz"},
	{"made a table", "created a table"},
	{"deleted a person", "deleted a person’s data"},
	{"exported a person", "exported a person’s data"},
	{"erased a quiz", "permanently deleted a quiz"},
	{"changed rights", "changed someone’s role"},
	{"ended sign-ins", "signed someone out everywhere"},
	{"invited somebody", "invited a team member"},
	{"took an invitation back", "cancelled an invitation"},
}

// rewordedReasons are the reasons for which earlier programs set responses aside, and as they are now.
var rewordedReasons = [][2]string{
	{"a hidden field was filled in", "it filled in a field that people can’t see"},
	{"faster than anybody reads", "it was answered faster than anyone could read"},
	{"many from one address", "many responses came from the same address"},
}

// Reword gives lines of earlier programs the words of this one, so that the journal can be filtered by them.
func Reword(tx *gorm.DB) error {
	for _, w := range reworded {
		if err := tx.Model(&people.JournalLine{}).Where("verb = ?", w[0]).UpdateColumn("verb", w[1]).Error; err != nil {
			return err
		}
	}
	for _, w := range rewordedReasons {
		if err := tx.Model(&Response{}).Where("suspect = ?", w[0]).UpdateColumn("suspect", w[1]).Error; err != nil {
			return err
		}
	}
	return nil
}
