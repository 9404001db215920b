CREATE TABLE "changes" (
	"shot_id" text NOT NULL,
	"revision" integer NOT NULL,
	"patches" jsonb NOT NULL,
	CONSTRAINT "changes_shot_id_revision_pk" PRIMARY KEY("shot_id","revision")
);
--> statement-breakpoint
CREATE TABLE "finals" (
	"id" text PRIMARY KEY NOT NULL,
	"shot_id" text NOT NULL,
	"status" text NOT NULL,
	"percent" integer NOT NULL,
	"samples" integer NOT NULL,
	"samples_done" integer DEFAULT 0 NOT NULL,
	"seconds_left" double precision,
	"seconds" double precision,
	"message" text,
	"document" jsonb NOT NULL,
	"files" jsonb,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "shots" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"revision" integer NOT NULL,
	"document" jsonb NOT NULL,
	"undo" jsonb NOT NULL,
	"redo" jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "takes" (
	"id" text PRIMARY KEY NOT NULL,
	"shot_id" text NOT NULL,
	"name" text NOT NULL,
	"document" jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "changes" ADD CONSTRAINT "changes_shot_id_shots_id_fk" FOREIGN KEY ("shot_id") REFERENCES "public"."shots"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "finals" ADD CONSTRAINT "finals_shot_id_shots_id_fk" FOREIGN KEY ("shot_id") REFERENCES "public"."shots"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "takes" ADD CONSTRAINT "takes_shot_id_shots_id_fk" FOREIGN KEY ("shot_id") REFERENCES "public"."shots"("id") ON DELETE cascade ON UPDATE no action;