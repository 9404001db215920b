ALTER TABLE "finals" ADD COLUMN "settings" jsonb;--> statement-breakpoint
ALTER TABLE "finals" ADD COLUMN "noise" double precision;--> statement-breakpoint
ALTER TABLE "finals" ADD COLUMN "notices" jsonb DEFAULT '[]'::jsonb NOT NULL;