package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"omphalos/app/objects"
	"omphalos/app/store"
)

// bucket are the flags of where pictures are kept.
type bucket struct{ address, region string }

func (b *bucket) add(c *cobra.Command) {
	c.Flags().StringVar(&b.address, "pictures", "",
		"S3-compatible bucket for pictures: https://SERVER/BUCKET/PREFIX; put the keys in "+
			"OMPHALOS_PICTURES_KEY and OMPHALOS_PICTURES_SECRET; without this flag, pictures are stored in the database")
	c.Flags().StringVar(&b.region, "pictures-region", "us-east-1", "region of the bucket, if the server uses regions")
}

// open opens the bucket; without one pictures are in the database.
func (b *bucket) open() (store.Options, error) {
	if b.address == "" {
		return store.Options{}, nil
	}
	key, secret := os.Getenv("OMPHALOS_PICTURES_KEY"), os.Getenv("OMPHALOS_PICTURES_SECRET")
	if key == "" || secret == "" {
		const where = "--pictures: set OMPHALOS_PICTURES_KEY and OMPHALOS_PICTURES_SECRET"
		return store.Options{}, errors.New(where)
	}
	kept, err := objects.Open(b.address, key, secret, b.region)
	if err != nil {
		return store.Options{}, fmt.Errorf("--pictures: %w", err)
	}
	return store.Options{Objects: kept}, nil
}
