using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Maschera.Store.Migrations
{
    /// <inheritdoc />
    public partial class WhoDidIt : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "By",
                table: "Work",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "By",
                table: "Remarks",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "By",
                table: "Readings",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "By",
                table: "Observations",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "By",
                table: "Jobs",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "By",
                table: "Codes",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "ReportLinks",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    JobId = table.Column<int>(type: "INTEGER", nullable: false),
                    Sum = table.Column<string>(type: "TEXT", nullable: false),
                    MadeAt = table.Column<DateTime>(type: "TEXT", nullable: false),
                    EndsAt = table.Column<DateTime>(type: "TEXT", nullable: false),
                    OpenedAt = table.Column<DateTime>(type: "TEXT", nullable: true),
                    By = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_ReportLinks", x => x.Id);
                    table.ForeignKey(
                        name: "FK_ReportLinks_Jobs_JobId",
                        column: x => x.JobId,
                        principalTable: "Jobs",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_ReportLinks_JobId",
                table: "ReportLinks",
                column: "JobId");

            migrationBuilder.CreateIndex(
                name: "IX_ReportLinks_Sum",
                table: "ReportLinks",
                column: "Sum",
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "ReportLinks");

            migrationBuilder.DropColumn(
                name: "By",
                table: "Work");

            migrationBuilder.DropColumn(
                name: "By",
                table: "Remarks");

            migrationBuilder.DropColumn(
                name: "By",
                table: "Readings");

            migrationBuilder.DropColumn(
                name: "By",
                table: "Observations");

            migrationBuilder.DropColumn(
                name: "By",
                table: "Jobs");

            migrationBuilder.DropColumn(
                name: "By",
                table: "Codes");
        }
    }
}
