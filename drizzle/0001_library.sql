CREATE TABLE "lens_kits" (
	"id" text PRIMARY KEY NOT NULL,
	"document" jsonb NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "yardsticks" (
	"id" text PRIMARY KEY NOT NULL,
	"list" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "takes" ADD COLUMN "thumbnail" text;