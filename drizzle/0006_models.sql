CREATE TABLE "models" (
	"hash" text PRIMARY KEY NOT NULL,
	"file_name" text NOT NULL,
	"reading" jsonb NOT NULL,
	"details" jsonb NOT NULL,
	"triangles" integer NOT NULL,
	"size" jsonb NOT NULL,
	"materials" integer NOT NULL,
	"picture" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
