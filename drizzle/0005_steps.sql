CREATE TABLE "steps" (
	"shot_id" text NOT NULL,
	"revision" integer NOT NULL,
	"step_id" text NOT NULL,
	"step" jsonb NOT NULL,
	"patches" jsonb,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "steps_shot_id_revision_pk" PRIMARY KEY("shot_id","revision")
);
--> statement-breakpoint
DROP TABLE "changes" CASCADE;--> statement-breakpoint
ALTER TABLE "steps" ADD CONSTRAINT "steps_shot_id_shots_id_fk" FOREIGN KEY ("shot_id") REFERENCES "public"."shots"("id") ON DELETE cascade ON UPDATE no action;