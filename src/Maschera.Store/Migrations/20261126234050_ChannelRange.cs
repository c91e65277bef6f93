using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Maschera.Store.Migrations
{
    /// <inheritdoc />
    public partial class ChannelRange : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<double>(
                name: "Range",
                table: "Channels",
                type: "REAL",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Range",
                table: "Channels");
        }
    }
}
