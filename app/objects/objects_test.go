package objects

import (
	"bytes"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/standins/bucket"
)

// Pictures go into the bucket and come back from it; those that were kept in the database before stay there.
func TestPicturesInABucket(t *testing.T) {
	there := &bucket.Bucket{Name: "quiz", Key: "larkmoor"}
	server := httptest.NewServer(there)
	defer server.Close()
	b, err := Open(server.URL+"/quiz/pictures", "larkmoor", "secret", "eu-west-1")
	require.NoError(t, err)
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	before := []byte("a picture of before")
	require.NoError(t, s.Documents.AddPicture(&documents.Picture{ID: "before"}, []documents.PictureSize{{Width: 320, Type: "image/png", Data: before}}))
	require.NoError(t, s.Close())

	s, err = store.Open(dir, store.Options{Objects: b})
	require.NoError(t, err)
	defer s.Close()
	large := bytes.Repeat([]byte("picture "), 40_000)
	require.NoError(t, s.Documents.AddPicture(&documents.Picture{ID: "p"}, []documents.PictureSize{
		{Width: 320, Type: "image/jpeg", Data: []byte("small")}, {Width: 1280, Type: "image/jpeg", Data: large},
	}))
	require.ElementsMatch(t, []string{"pictures/p/320", "pictures/p/1280"}, there.Keys())
	for id, want := range map[string][]byte{"before": before, "p": large} {
		size, err := s.Documents.PictureSize(id, 2000)
		require.NoError(t, err)
		require.Equal(t, want, size.Data)
	}

	there.Broken = true
	err = s.Documents.AddPicture(&documents.Picture{ID: "lost"}, []documents.PictureSize{{Width: 320, Type: "image/png", Data: before}})
	require.ErrorContains(t, err, "couldn’t store object lost/320: SlowDown")
	_, err = s.Documents.Picture("lost")
	require.True(t, database.IsNotFound(err), "a picture that is not stored is not in the library")
	_, err = s.Documents.PictureSize("p", 320)
	require.ErrorContains(t, err, "couldn’t read object p/320: SlowDown")
}

func TestABucketThatIsNotThere(t *testing.T) {
	server := httptest.NewServer(&bucket.Bucket{Name: "quiz", Key: "larkmoor"})
	defer server.Close()
	for address, said := range map[string]string{
		server.URL + "/other":     "bucket other doesn’t exist",
		server.URL:                "isn’t a bucket address:",
		"quiz":                    "isn’t a bucket address:",
		"http://127.0.0.1:1/quiz": "couldn’t reach bucket",
	} {
		_, err := Open(address, "larkmoor", "secret", "eu-west-1")
		require.ErrorContains(t, err, said, address)
	}
	_, err := Open(server.URL+"/quiz", "somebody", "secret", "eu-west-1")
	require.Error(t, err, "it is not let in")
}
